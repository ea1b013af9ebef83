// SPDX-License-Identifier: GPL-3.0-or-later
#include "layout/raster.h"

#include <algorithm>
#include <array>
#include <atomic>
#include <cmath>

#include "base/parallel.h"

namespace va {
namespace {

constexpr double bendPx = 0.2;         ///< an edge that differs by less from its curve is straight
constexpr double surelyStraight = 12;  ///< px: no lens bends so short an edge by that much
constexpr int deepest = 7;             ///< halvings of an edge at most
constexpr int bandRows = 32;

/// A corner on its way to the picture: world position, place in the picture, nearness, picture coordinates.
struct Corner {
    Eigen::Vector3d world = Eigen::Vector3d::Zero();
    Eigen::Vector2d at = Eigen::Vector2d::Zero();
    Eigen::Vector2d uv = Eigen::Vector2d::Zero();
    double depth = 0;
    bool seen = false;
};

struct Drawn {
    float x[3], y[3], near[3];  ///< near: larger = nearer; 1/depth, or −depth of a parallel view
    float u[3], v[3];           ///< times near, for pictures
    uint32_t colour = 0;        ///< 0xAARRGGBB, not multiplied
    const Picture8* picture = nullptr;
    float shade = 1;
    Blend blend = Blend::over;
    float depth = 0;  ///< of its middle, for sorting
};

struct Stroke {
    float x0, y0, near0, x1, y1, near1;
    uint32_t colour;
    float width;
};

uint32_t packed(const Eigen::Vector4d& c, double shade) {
    const auto byte = [](double v) { return uint32_t(std::lround(255 * std::clamp(v, 0.0, 1.0))); };
    return byte(c.w()) << 24 | byte(c.x() * shade) << 16 | byte(c.y() * shade) << 8 | byte(c.z() * shade);
}

/// Everything that one thread collects.
struct Pieces {
    std::vector<Drawn> opaque, clear;
    std::vector<Stroke> strokes;
};

class Sorter {
  public:
    Sorter(const RasterView& view, double scale, int width, int height)
        : view_(view), scale_(scale), width_(width), height_(height) {}

    [[nodiscard]] double depthOf(const Eigen::Vector3d& p) const { return view_.forward.dot(p - view_.eye); }
    [[nodiscard]] float nearness(double depth) const { return float(view_.parallel ? -depth : 1 / depth); }
    [[nodiscard]] bool before(double depth) const { return view_.parallel || depth >= view_.nearest; }

    void see(Corner& c) const {
        c.depth = depthOf(c.world);
        c.seen = false;
        if (!before(c.depth)) return;
        const auto at = view_.project(c.world);
        if (!at || !(at->cwiseAbs().maxCoeff() < 1e6)) return;
        c.at = scale_ * *at;
        c.seen = true;
    }

    /// A triangle of corners that were looked at already.
    void triangle(const std::array<Corner, 3>& c, const Drawn& like, Pieces& out) const {
        const int front = int(before(c[0].depth)) + int(before(c[1].depth)) + int(before(c[2].depth));
        if (front == 0) return;
        if (front == 3) return split(c, like, out, 0);
        // Cut at the nearest depth, which is even along an edge.
        std::array<Corner, 4> cut;
        size_t n = 0;
        for (size_t i = 0; i < 3; ++i) {
            const Corner &a = c[i], &b = c[(i + 1) % 3];
            if (before(a.depth)) cut[n++] = a;
            if (before(a.depth) != before(b.depth)) {
                // A hair beyond, so that rounding does not put it before the cut again.
                const double t = (view_.nearest * (1 + 1e-9) - a.depth) / (b.depth - a.depth);
                Corner& on = cut[n++];
                on.world = a.world + t * (b.world - a.world);
                on.uv = a.uv + t * (b.uv - a.uv);
                see(on);
            }
        }
        split({cut[0], cut[1], cut[2]}, like, out, 0);
        if (n == 4) split({cut[0], cut[2], cut[3]}, like, out, 0);
    }

    void stroke(Corner a, Corner b, uint32_t colour, double width, Pieces& out, int depth = 0) const {
        if (!before(a.depth) && !before(b.depth)) return;
        if (!before(a.depth) || !before(b.depth)) {
            const double t = (view_.nearest * (1 + 1e-9) - a.depth) / (b.depth - a.depth);
            Corner& behind = before(a.depth) ? b : a;
            behind.world = a.world + t * (b.world - a.world);
            see(behind);
        }
        if (depth < deepest && (!a.seen || !b.seen || bent(a, b))) {
            if (!a.seen && !b.seen && depth > 3) return;
            const Corner m = middle(a, b);
            stroke(a, m, colour, width, out, depth + 1);
            stroke(m, b, colour, width, out, depth + 1);
            return;
        }
        if (!a.seen || !b.seen) return;
        out.strokes.push_back({float(a.at.x()), float(a.at.y()), nearness(a.depth), float(b.at.x()), float(b.at.y()),
                               nearness(b.depth), colour, float(width * scale_)});
    }

    [[nodiscard]] bool bent(const Corner& a, const Corner& b) const {
        if (!view_.bends || (a.at - b.at).cwiseAbs().maxCoeff() < surelyStraight * scale_) return false;
        if (outside(a, b)) return false;
        const Corner m = middle(a, b);
        if (!m.seen) return true;
        const Eigen::Vector2d along = b.at - a.at, off = m.at - a.at;
        return std::fabs(along.x() * off.y() - along.y() * off.x()) > bendPx * scale_ * along.norm();
    }

    [[nodiscard]] Corner middle(const Corner& a, const Corner& b) const {
        Corner m;
        m.world = (a.world + b.world) / 2;
        m.uv = (a.uv + b.uv) / 2;
        see(m);
        return m;
    }

  private:
    /// Both ends lie beyond the same side of the picture, far enough for a bent edge not to come back.
    [[nodiscard]] bool outside(const Corner& a, const Corner& b) const {
        const double margin = 0.5 * std::max(width_, height_);
        const auto beyond = [&](double p, double q, double size) {
            return (p < -margin && q < -margin) || (p > size + margin && q > size + margin);
        };
        return beyond(a.at.x(), b.at.x(), width_) || beyond(a.at.y(), b.at.y(), height_);
    }

    void split(const std::array<Corner, 3>& c, const Drawn& like, Pieces& out, int depth) const {
        const bool all = c[0].seen && c[1].seen && c[2].seen;
        if (!all && ((!c[0].seen && !c[1].seen && !c[2].seen && depth > 3) || depth >= deepest)) return;
        std::array<bool, 3> halve{};
        int count = 0;
        for (size_t i = 0; i < 3; ++i) {
            const Corner &a = c[i], &b = c[(i + 1) % 3];
            halve[i] = depth < deepest && (!a.seen || !b.seen || bent(a, b));
            count += halve[i];
        }
        if (count == 0) return emit(c, like, out);
        std::array<Corner, 3> m;
        for (size_t i = 0; i < 3; ++i)
            if (halve[i]) m[i] = middle(c[i], c[(i + 1) % 3]);
        const auto next = [&](const Corner& p, const Corner& q, const Corner& r) {
            split({p, q, r}, like, out, depth + 1);
        };
        if (count == 3) {
            next(c[0], m[0], m[2]), next(m[0], c[1], m[1]), next(m[2], m[1], c[2]), next(m[0], m[1], m[2]);
            return;
        }
        for (size_t i = 0; i < 3; ++i) {
            const size_t j = (i + 1) % 3, k = (i + 2) % 3;
            if (count == 1 && halve[i]) return next(c[i], m[i], c[k]), next(m[i], c[j], c[k]);
            if (count == 2 && !halve[i])
                // The edge from i to j is whole.
                return next(c[i], c[j], m[j]), next(c[i], m[j], m[k]), next(m[j], c[k], m[k]);
        }
    }

    void emit(const std::array<Corner, 3>& c, const Drawn& like, Pieces& out) const {
        Drawn d = like;
        double low = 1e30, high = -1e30, left = 1e30, right = -1e30;
        for (size_t i = 0; i < 3; ++i) {
            d.x[i] = float(c[i].at.x()), d.y[i] = float(c[i].at.y());
            d.near[i] = nearness(c[i].depth);
            const float w = view_.parallel ? 1 : d.near[i];
            d.u[i] = float(c[i].uv.x()) * w, d.v[i] = float(c[i].uv.y()) * w;
            low = std::min(low, c[i].at.y()), high = std::max(high, c[i].at.y());
            left = std::min(left, c[i].at.x()), right = std::max(right, c[i].at.x());
        }
        if (high < -0.5 || low > height_ - 0.5 || right < -0.5 || left > width_ - 0.5) return;
        d.depth = float((c[0].depth + c[1].depth + c[2].depth) / 3);
        const bool opaque = d.blend == Blend::over && d.colour >> 24 == 255 && !d.picture;
        (opaque ? out.opaque : out.clear).push_back(d);
    }

    const RasterView& view_;
    double scale_;
    int width_, height_;
};

/// Channels 0..255 of a picture at (u, v), between its pixels; repeated outside.
std::array<float, 4> texel(const Picture8& p, float u, float v) {
    const float x = (u - std::floor(u)) * float(p.width) - 0.5F, y = (1 - (v - std::floor(v))) * float(p.height) - 0.5F;
    const int x0 = int(std::floor(x)), y0 = int(std::floor(y));
    const float fx = x - float(x0), fy = y - float(y0);
    std::array<float, 4> out{};
    for (int j = 0; j < 2; ++j)
        for (int i = 0; i < 2; ++i) {
            const uint8_t* at = p.at(std::clamp(x0 + i, 0, p.width - 1), std::clamp(y0 + j, 0, p.height - 1));
            const float w = (i ? fx : 1 - fx) * (j ? fy : 1 - fy);
            for (size_t c = 0; c < 4; ++c) out[c] += w * float(at[c]);
        }
    return out;
}

/// Puts a colour (0..255, multiplied by alpha) onto a pixel.
uint32_t blended(uint32_t under, const std::array<float, 4>& c) {
    const float keep = 1 - c[3] / 255;
    uint32_t out = 0;
    const int shifts[4] = {16, 8, 0, 24};
    for (size_t k = 0; k < 4; ++k) {
        const float v = c[k] + keep * float(under >> shifts[k] & 255);
        out |= uint32_t(std::clamp(v + 0.5F, 0.0F, 255.0F)) << shifts[k];
    }
    return out;
}

/// The rows from `top` to `bottom` (not included).
struct Band {
    int width, top, bottom;
    uint32_t* argb;
    float* near;  ///< of the same rows

    void triangle(const Drawn& d, bool parallel) const {
        // Double: corners may lie a million px outside.
        const double ax = d.x[0], ay = d.y[0], bx = d.x[1] - ax, by = d.y[1] - ay, cx = d.x[2] - ax, cy = d.y[2] - ay;
        const double area = bx * cy - cx * by;
        if (!(std::fabs(area) > 1e-9)) return;
        const float lowY = std::min({d.y[0], d.y[1], d.y[2]}), highY = std::max({d.y[0], d.y[1], d.y[2]});
        const float lowX = std::min({d.x[0], d.x[1], d.x[2]}), highX = std::max({d.x[0], d.x[1], d.x[2]});
        const int y0 = std::max(top, int(std::ceil(std::max(lowY, -1e6F)))),
                  y1 = std::min(bottom - 1, int(std::floor(std::min(highY, 1e6F))));
        const double inverse = 1 / area;
        // Barycentric coordinates go evenly along a row: at x, b1 = p1 + x·r1 and b2 = p2 + x·r2.
        const double r1 = cy * inverse, r2 = -by * inverse;
        for (int y = y0; y <= y1; ++y) {
            const double dy = y - ay;
            // The row's stretch inside, from the three edges.
            double left = std::max(lowX, 0.0F), right = std::min(highX, float(width - 1));
            const double p1 = (-ax * cy - cx * dy) * inverse, p2 = (bx * dy + ax * by) * inverse;
            const auto bound = [&](double p, double q) {
                if (q > 0) left = std::max(left, -p / q);
                else if (q < 0) right = std::min(right, -p / q);
                else if (p < 0) right = -1;
            };
            bound(p1, r1), bound(p2, r2), bound(1 - p1 - p2, -r1 - r2);
            const int x0 = int(std::ceil(left - 1e-4)), x1 = int(std::floor(right + 1e-4));
            if (x0 > x1) continue;
            uint32_t* row = argb + size_t(y - top) * size_t(width);
            float* deep = near + size_t(y - top) * size_t(width);
            const auto n0 = float(d.near[0] + p1 * (d.near[1] - d.near[0]) + p2 * (d.near[2] - d.near[0])),
                       nx = float(r1 * (d.near[1] - d.near[0]) + r2 * (d.near[2] - d.near[0]));
            if (!d.picture && d.blend == Blend::over && d.colour >> 24 == 255) {
                for (int x = x0; x <= x1; ++x) {
                    const float n = n0 + float(x) * nx;
                    if (n > deep[x]) deep[x] = n, row[x] = d.colour;
                }
                continue;
            }
            for (int x = x0; x <= x1; ++x) {
                const float n = n0 + float(x) * nx;
                if (n <= deep[x]) continue;
                clear(d, row[x], deep[x], n, float(p1 + x * r1), float(p2 + x * r2), parallel);
            }
        }
    }

    static void clear(const Drawn& d, uint32_t& pixel, float& deep, float n, float b1, float b2, bool parallel) {
        const float opacity = float(d.colour >> 24) / 255;
        std::array<float, 4> c{float(d.colour >> 16 & 255), float(d.colour >> 8 & 255), float(d.colour & 255), 255};
        if (d.picture) {
            const float w = parallel ? 1 : 1 / n;
            const float u = (d.u[0] + b1 * (d.u[1] - d.u[0]) + b2 * (d.u[2] - d.u[0])) * w,
                        v = (d.v[0] + b1 * (d.v[1] - d.v[0]) + b2 * (d.v[2] - d.v[0])) * w;
            const std::array<float, 4> t = texel(*d.picture, u, v);
            for (size_t k = 0; k < 3; ++k) c[k] *= t[k] / 255;
            c[3] = t[3];
        }
        for (float& k : c) k *= opacity;
        if (d.blend == Blend::add) c[3] = 0;
        // One alpha for three channels: exact where they are alike, as those of dust and smoke are.
        if (d.blend == Blend::screen) c[3] = std::max({c[0], c[1], c[2]});
        pixel = blended(pixel, c);
        if (c[3] > 254) deep = n;
    }

    /// A line with soft borders, where nothing lies before it. Its own surface is no such thing: it is drawn a
    /// thousandth nearer.
    void stroke(const Stroke& s, bool parallel) const {
        const float dx = s.x1 - s.x0, dy = s.y1 - s.y0, length = std::hypot(dx, dy);
        if (!(length > 1e-6F)) return;
        const bool steep = std::fabs(dy) > std::fabs(dx);
        const float half = s.width / 2, reach = (half + 1) * length / std::max(std::fabs(dx), std::fabs(dy));
        const auto put = [&](int x, int y, float t) {
            if (x < 0 || x >= width || y < top || y >= bottom) return;
            const float px = float(x) - s.x0, py = float(y) - s.y0;
            const float off = std::fabs(px * dy - py * dx) / length;
            const float cover = std::clamp(half + 0.5F - off, 0.0F, 1.0F);
            if (cover <= 0) return;
            const float n = s.near0 + std::clamp(t, 0.0F, 1.0F) * (s.near1 - s.near0);
            float& deep = near[size_t(y - top) * size_t(width) + size_t(x)];
            if ((parallel ? n + 1e-3F * std::fabs(n) + 1e-4F : n * 1.002F) < deep) return;
            const float a = cover * float(s.colour >> 24) / 255;
            uint32_t& pixel = argb[size_t(y - top) * size_t(width) + size_t(x)];
            pixel = blended(pixel, {a * float(s.colour >> 16 & 255), a * float(s.colour >> 8 & 255),
                                    a * float(s.colour & 255), a * 255});
        };
        if (steep) {
            const int y0 = std::max(top, int(std::ceil(std::min(s.y0, s.y1) - 0.5F))),
                      y1 = std::min(bottom - 1, int(std::floor(std::max(s.y0, s.y1) + 0.5F)));
            for (int y = y0; y <= y1; ++y) {
                const float t = (float(y) - s.y0) / dy, x = s.x0 + t * dx;
                for (int i = int(std::ceil(x - reach)); i <= int(std::floor(x + reach)); ++i) put(i, y, t);
            }
        } else {
            const int x0 = std::max(0, int(std::ceil(std::min(s.x0, s.x1) - 0.5F))),
                      x1 = std::min(width - 1, int(std::floor(std::max(s.x0, s.x1) + 0.5F)));
            for (int x = x0; x <= x1; ++x) {
                const float t = (float(x) - s.x0) / dx, y = s.y0 + t * dy;
                const int a = std::max(top, int(std::ceil(y - reach))),
                          b = std::min(bottom - 1, int(std::floor(y + reach)));
                for (int i = a; i <= b; ++i) put(x, i, t);
            }
        }
    }
};

/// The bands that something between two heights touches.
std::pair<int, int> bandsOf(float low, float high, int bands) {
    return {std::clamp(int(std::floor(std::max(low, -1e6F) / bandRows)), 0, bands - 1),
            std::clamp(int(std::floor(std::min(high, 1e6F) / bandRows)), 0, bands - 1)};
}

/// An item's vertices in the picture.
void seeCorners(const RasterItem& item, const Sorter& sorter, std::vector<Corner>& corners, int begin, int end) {
    for (int i = begin; i < end; ++i) {
        corners[size_t(i)].world = item.worldFromShape.point(item.shape->shape.vertices[size_t(i)]);
        sorter.see(corners[size_t(i)]);
    }
}

/// Its triangles from `begin` to `end` (not included).
void addTriangles(const RasterItem& item, const Sorter& sorter, const RasterView& view,
                  const std::vector<Corner>& corners, int begin, int end, Pieces& to) {
    const DrawnShape& s = *item.shape;
    const Eigen::Vector3d light = Eigen::Vector3d(-0.45, 0.8, 0.4).normalized();
    const bool pictures = !s.shape.uv.empty();
    for (int i = begin; i < end; ++i) {
        const DrawnShape::Triangle& t = s.triangles[size_t(i)];
        std::array<Corner, 3> c{corners[size_t(t.vertex[0])], corners[size_t(t.vertex[1])],
                                corners[size_t(t.vertex[2])]};
        if (!c[0].seen && !c[1].seen && !c[2].seen && !view.bends && !sorter.before(c[0].depth) &&
            !sorter.before(c[1].depth) && !sorter.before(c[2].depth))
            continue;
        const Material& m = s.shape.materials[size_t(t.material)];
        Drawn like;
        if (size_t(t.material) < item.pictures.size() && pictures)
            like.picture = item.pictures[size_t(t.material)].get();
        if (like.picture)
            for (size_t k = 0; k < 3; ++k) c[k].uv = s.shape.uv[size_t(t.corner[k])];
        double shade = 1;
        Eigen::Vector3d normal = item.worldFromShape.rotation * t.normal.cast<double>();
        const Eigen::Vector3d to_eye =
            view.parallel ? Eigen::Vector3d(-view.forward) : Eigen::Vector3d((view.eye - c[0].world).normalized());
        // Cards have a face for each side; other faces may be looked at from behind.
        if (normal.dot(to_eye) < 0) {
            if (m.unlit) continue;
            normal = -normal;
        }
        if (!m.unlit) shade = 0.34 + 0.46 * std::max(0.0, normal.dot(light)) + 0.2 * normal.dot(to_eye);
        Eigen::Vector4d colour = m.colour.value_or(item.colour);
        if (m.colour && m.unlit) colour.w() *= item.colour.w();
        like.colour = packed(colour, shade);
        like.blend = m.blend;
        sorter.triangle(c, like, to);
    }
}

void addStrokes(const RasterItem& item, const Sorter& sorter, const std::vector<Corner>& corners, Pieces& to) {
    if (!item.wire) return;
    const DrawnShape& s = *item.shape;
    const uint32_t colour = packed(item.line, 1);
    const auto edge = [&](int a, int b) {
        sorter.stroke(corners[size_t(a)], corners[size_t(b)], colour, item.lineWidth, to);
    };
    if (item.fullWire) {
        for (const DrawnShape::Triangle& t : s.triangles)
            for (size_t k = 0; k < 3; ++k)
                if (t.vertex[k] < t.vertex[(k + 1) % 3]) edge(t.vertex[k], t.vertex[(k + 1) % 3]);
    } else {
        for (const auto& [a, b] : s.edges) edge(a, b);
    }
}

constexpr int largeItem = 8192;  ///< triangles from which on an item is shared between threads

/// An item that is worth several threads.
void gatherLarge(const RasterItem& item, const Sorter& sorter, const RasterView& view, std::vector<Pieces>& out) {
    std::vector<Corner> corners(item.shape->shape.vertices.size());
    parallelRanges(int(corners.size()), 2048,
                   [&](int begin, int end) { seeCorners(item, sorter, corners, begin, end); });
    const int count = item.solid ? int(item.shape->triangles.size()) : 0, chunks = std::clamp(count / 4096, 1, 16);
    const size_t first = out.size();
    out.resize(first + size_t(chunks));
    parallelRanges(chunks, 1, [&](int begin, int end) {
        for (int k = begin; k < end; ++k)
            addTriangles(item, sorter, view, corners, int(int64_t(count) * k / chunks),
                         int(int64_t(count) * (k + 1) / chunks), out[first + size_t(k)]);
    });
    addStrokes(item, sorter, corners, out[first]);
}

/// Many small ones: each thread takes some.
void gatherSmall(const std::vector<const RasterItem*>& items, const Sorter& sorter, const RasterView& view,
                 std::vector<Pieces>& out) {
    const int count = int(items.size()), chunks = std::clamp(count / 8, 1, 16);
    const size_t first = out.size();
    out.resize(first + size_t(chunks));
    parallelRanges(chunks, 1, [&](int begin, int end) {
        std::vector<Corner> corners;
        for (int k = begin; k < end; ++k)
            for (int i = int(int64_t(count) * k / chunks); i < int(int64_t(count) * (k + 1) / chunks); ++i) {
                const RasterItem& item = *items[size_t(i)];
                const int vertices = int(item.shape->shape.vertices.size());
                corners.resize(size_t(vertices));
                seeCorners(item, sorter, corners, 0, vertices);
                Pieces& to = out[first + size_t(k)];
                if (item.solid) addTriangles(item, sorter, view, corners, 0, int(item.shape->triangles.size()), to);
                addStrokes(item, sorter, corners, to);
            }
    });
}

RasterPicture halved(const RasterPicture& p) {
    RasterPicture out{p.width / 2, p.height / 2, {}};
    out.argb.resize(size_t(out.width) * size_t(out.height));
    parallelRanges(out.height, 32, [&](int begin, int end) {
        for (int y = begin; y < end; ++y) {
            const uint32_t* a = p.argb.data() + size_t(2 * y) * size_t(p.width);
            const uint32_t* b = a + p.width;
            for (int x = 0; x < out.width; ++x) {
                const uint32_t four[4] = {a[2 * x], a[2 * x + 1], b[2 * x], b[2 * x + 1]};
                // Two channels at a time: four bytes of ten bits fit.
                uint32_t even = 0, odd = 0;
                for (const uint32_t v : four) even += v & 0x00ff00ff, odd += v >> 8 & 0x00ff00ff;
                out.argb[size_t(y) * size_t(out.width) + size_t(x)] =
                    ((even + 0x00020002) >> 2 & 0x00ff00ff) | ((odd + 0x00020002) >> 2 & 0x00ff00ff) << 8;
            }
        }
    });
    return out;
}

}  // namespace

RasterPicture drawShapes(const std::vector<RasterItem>& items, const RasterView& view, int width, int height,
                         int samples) {
    const int by = samples > 1 ? 2 : 1;
    RasterPicture out{width * by, height * by, {}};
    if (width <= 0 || height <= 0) return {};
    out.argb.assign(size_t(out.width) * size_t(out.height), 0);
    const Sorter sorter(view, by, out.width, out.height);
    std::vector<Pieces> pieces;
    std::vector<const RasterItem*> small;
    for (const RasterItem& item : items) {
        if (!item.shape) continue;
        if (int(item.shape->triangles.size()) >= largeItem) gatherLarge(item, sorter, view, pieces);
        else small.push_back(&item);
    }
    if (!small.empty()) gatherSmall(small, sorter, view, pieces);
    // Far ones first; equal ones in the order of the list, so that a picture does not flicker.
    std::vector<const Drawn*> clear;
    for (const Pieces& p : pieces)
        for (const Drawn& d : p.clear) clear.push_back(&d);
    std::stable_sort(clear.begin(), clear.end(), [](const Drawn* a, const Drawn* b) { return a->depth > b->depth; });
    const int bands = (out.height + bandRows - 1) / bandRows;
    std::vector<std::vector<const Drawn*>> opaqueIn(static_cast<size_t>(bands)), clearIn(static_cast<size_t>(bands));
    std::vector<std::vector<const Stroke*>> strokesIn(static_cast<size_t>(bands));
    const auto put = [&](const Drawn& d, std::vector<std::vector<const Drawn*>>& in) {
        const auto [a, b] = bandsOf(std::min({d.y[0], d.y[1], d.y[2]}), std::max({d.y[0], d.y[1], d.y[2]}), bands);
        for (int k = a; k <= b; ++k) in[size_t(k)].push_back(&d);
    };
    for (const Pieces& p : pieces) {
        for (const Drawn& d : p.opaque) put(d, opaqueIn);
        for (const Stroke& s : p.strokes) {
            const auto [a, b] = bandsOf(std::min(s.y0, s.y1) - s.width, std::max(s.y0, s.y1) + s.width, bands);
            for (int k = a; k <= b; ++k) strokesIn[size_t(k)].push_back(&s);
        }
    }
    for (const Drawn* d : clear) put(*d, clearIn);
    parallelRanges(bands, 1, [&](int begin, int end) {
        std::vector<float> near(size_t(out.width) * bandRows);
        for (int k = begin; k < end; ++k) {
            const int top = k * bandRows, bottom = std::min(out.height, top + bandRows);
            if (opaqueIn[size_t(k)].empty() && clearIn[size_t(k)].empty() && strokesIn[size_t(k)].empty()) continue;
            std::fill(near.begin(), near.end(), view.parallel ? -1e30F : 0.0F);
            const Band band{out.width, top, bottom, out.argb.data() + size_t(top) * size_t(out.width), near.data()};
            for (const Drawn* d : opaqueIn[size_t(k)]) band.triangle(*d, view.parallel);
            for (const Drawn* d : clearIn[size_t(k)]) band.triangle(*d, view.parallel);
            for (const Stroke* s : strokesIn[size_t(k)]) band.stroke(*s, view.parallel);
        }
    });
    return by == 2 ? halved(out) : out;
}

double pxAt(const RasterView& view, const Eigen::Vector3d& place, double length) {
    const Eigen::Vector3d across = view.forward.unitOrthogonal();
    const auto a = view.project(place), b = view.project(place + length * across);
    return a && b ? (*a - *b).norm() : 1e9;
}

std::vector<std::vector<Eigen::Vector2d>> curveOf(const Eigen::Vector3d& a, const Eigen::Vector3d& b,
                                                  const RasterView& view) {
    const Sorter sorter(view, 1, 1 << 20, 1 << 20);
    Pieces pieces;
    Corner from, to;
    from.world = a, to.world = b;
    sorter.see(from), sorter.see(to);
    sorter.stroke(from, to, 0, 1, pieces);
    std::vector<std::vector<Eigen::Vector2d>> out;
    for (const Stroke& s : pieces.strokes) {
        const Eigen::Vector2d p(s.x0, s.y0), q(s.x1, s.y1);
        if (out.empty() || out.back().back() != p) out.push_back({p});
        out.back().push_back(q);
    }
    return out;
}

std::optional<double> rayMeets(const Eigen::Vector3d& origin, const Eigen::Vector3d& direction, const DrawnShape& shape,
                               const Similarity& worldFromShape) {
    const Similarity back = worldFromShape.inverse();
    const Eigen::Vector3d o = back.point(origin), d = back.rotation * direction;
    // The box around it first (Kay & Kajiya 1986).
    double enter = 0, leave = 1e300;
    for (int k = 0; k < 3; ++k) {
        const double inverse = 1 / d[k];
        double t0 = (shape.low[k] - o[k]) * inverse, t1 = (shape.high[k] - o[k]) * inverse;
        if (std::isnan(t0) || std::isnan(t1)) continue;
        if (t0 > t1) std::swap(t0, t1);
        enter = std::max(enter, t0 - 1e-9), leave = std::min(leave, t1 + 1e-9);
    }
    if (enter > leave) return std::nullopt;
    std::optional<double> best;
    for (const DrawnShape::Triangle& t : shape.triangles) {
        // Möller & Trumbore, Journal of Graphics Tools 2, 1997.
        const Eigen::Vector3d& a = shape.shape.vertices[size_t(t.vertex[0])];
        const Eigen::Vector3d e1 = shape.shape.vertices[size_t(t.vertex[1])] - a,
                              e2 = shape.shape.vertices[size_t(t.vertex[2])] - a;
        const Eigen::Vector3d p = d.cross(e2);
        const double det = e1.dot(p);
        if (std::fabs(det) < 1e-300) continue;
        const Eigen::Vector3d s = o - a, q = s.cross(e1);
        const double u = s.dot(p) / det, v = d.dot(q) / det, distance = e2.dot(q) / det;
        if (u < 0 || v < 0 || u + v > 1 || distance <= 0) continue;
        if (!best || distance < *best) best = distance;
    }
    // The way back scales lengths.
    if (best) *best *= worldFromShape.scale;
    return best;
}

}  // namespace va
