// SPDX-License-Identifier: GPL-3.0-or-later
#include "proof/ray_scene.h"

#include <embree3/rtcore.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <map>
#include <tuple>
#include <unordered_map>

#include "base/error.h"
#include "base/text.h"
#include "media/display_transform.h"

namespace va {
namespace {

/// Display values of a byte as linear light.
const std::array<float, 256>& linearOfByte() {
    static const std::array<float, 256> table = [] {
        std::array<float, 256> t{};
        for (size_t i = 0; i < t.size(); ++i) t[i] = linearFromDisplay(float(i) / 255);
        return t;
    }();
    return table;
}

/// Normals of corners: the mean of the faces at a vertex that meet at less than 40°, by their angle there.
std::vector<Eigen::Vector3f> roundNormals(const DrawnShape& s) {
    const float limit = std::cos(40 * float(M_PI) / 180);
    std::vector<Eigen::Vector3f> out(s.shape.corners.size(), Eigen::Vector3f::Zero());
    std::vector<std::vector<std::pair<size_t, int>>> at(s.shape.vertices.size());
    std::vector<std::array<float, 3>> angles(s.triangles.size());
    for (size_t t = 0; t < s.triangles.size(); ++t)
        for (size_t k = 0; k < 3; ++k) {
            const auto& v = s.triangles[t].vertex;
            const auto p = [&](size_t i) { return s.shape.vertices[size_t(v[i % 3])]; };
            const Eigen::Vector3d a = p(k + 1) - p(k), b = p(k + 2) - p(k);
            angles[t][k] = float(std::atan2(a.cross(b).norm(), a.dot(b)));
            at[size_t(v[k])].emplace_back(t, int(k));
        }
    for (size_t t = 0; t < s.triangles.size(); ++t)
        for (size_t k = 0; k < 3; ++k) {
            Eigen::Vector3f sum = Eigen::Vector3f::Zero();
            for (const auto& [other, corner] : at[size_t(s.triangles[t].vertex[k])])
                if (s.triangles[other].normal.dot(s.triangles[t].normal) > limit)
                    sum += angles[other][size_t(corner)] * s.triangles[other].normal;
            out[size_t(s.triangles[t].corner[k])] =
                sum.norm() > 0 ? Eigen::Vector3f(sum.normalized()) : s.triangles[t].normal;
        }
    return out;
}

Eigen::Vector3f linearOf(const Eigen::Vector4d& c) {
    return {linearFromDisplay(float(c.x())), linearFromDisplay(float(c.y())), linearFromDisplay(float(c.z()))};
}

}  // namespace

namespace ray_scene {

/// A picture in halves of its size down to one px, so that a distant one is read as its mean. Linear light multiplied
/// by alpha, 16 bits.
class MipPicture {
  public:
    explicit MipPicture(const Picture8& full) {
        Level& first = levels_.emplace_back(full.width, full.height);
        for (size_t i = 0; i < full.data.size(); i += 4) {
            const uint8_t a = full.data[i + 3];
            for (size_t c = 0; c < 3; ++c) {
                // Bytes are display values multiplied by alpha: the curve belongs to the colour itself.
                const float v = a == 255 ? linearOfByte()[full.data[i + c]]
                                : a == 0 ? linearOfByte()[full.data[i + c]]
                                         : linearFromDisplay(float(full.data[i + c]) / float(a)) * float(a) / 255;
                first.data[i + c] = uint16_t(std::lround(65535 * std::min(1.0F, v)));
            }
            first.data[i + 3] = uint16_t(a * 257);
        }
        while (levels_.back().width > 1 || levels_.back().height > 1) {
            const Level& above = levels_.back();
            Level half(std::max(1, above.width / 2), std::max(1, above.height / 2));
            for (int y = 0; y < half.height; ++y)
                for (int x = 0; x < half.width; ++x)
                    for (int c = 0; c < 4; ++c) {
                        unsigned sum = 2;
                        for (int k = 0; k < 4; ++k)
                            sum += above.at(std::min(2 * x + k % 2, above.width - 1),
                                            std::min(2 * y + k / 2, above.height - 1))[c];
                        half.at(x, y)[c] = uint16_t(sum / 4);
                    }
            levels_.push_back(std::move(half));
        }
    }
    [[nodiscard]] int width() const { return levels_[0].width; }
    [[nodiscard]] int height() const { return levels_[0].height; }
    /// `texels` is the width of what is looked at, px of the whole picture.
    [[nodiscard]] Eigen::Vector4f at(const Eigen::Vector2f& uv, float texels) const {
        const float level = std::clamp(std::log2(std::max(1.0F, texels)), 0.0F, float(levels_.size() - 1));
        const auto low = size_t(level);
        const float share = level - float(low);
        const Eigen::Vector4f a = read(levels_[low], uv);
        return share > 0 ? Eigen::Vector4f((1 - share) * a + share * read(levels_[low + 1], uv)) : a;
    }

  private:
    using Level = ColourPicture<uint16_t>;
    [[nodiscard]] static Eigen::Vector4f read(const Level& p, const Eigen::Vector2f& uv) {
        const float x = std::clamp(uv.x() * float(p.width) - 0.5F, 0.0F, float(p.width - 1)),
                    y = std::clamp((1 - uv.y()) * float(p.height) - 0.5F, 0.0F, float(p.height - 1));
        const int x0 = int(x), y0 = int(y), x1 = std::min(x0 + 1, p.width - 1), y1 = std::min(y0 + 1, p.height - 1);
        const float fx = x - float(x0), fy = y - float(y0);
        const auto c = [&](int px, int py) {
            const uint16_t* v = p.at(px, py);
            return Eigen::Vector4f(float(v[0]), float(v[1]), float(v[2]), float(v[3]));
        };
        return ((1 - fy) * ((1 - fx) * c(x0, y0) + fx * c(x1, y0)) + fy * ((1 - fx) * c(x0, y1) + fx * c(x1, y1))) /
               65535;
    }
    std::vector<Level> levels_;
};

}  // namespace ray_scene

struct RayScene::Built {
    struct Item {
        std::vector<std::pair<Eigen::Vector3f, float>> colours;  ///< linear light and opacity, one a material or one
        std::vector<Eigen::Vector3f> normals;                    ///< of corners, in its own axes
        std::vector<std::shared_ptr<const ray_scene::MipPicture>> pictures;
        std::vector<Similarity> from;  ///< over the shutter, from the scene's origin
        Eigen::Matrix3f turn;          ///< of what stands
        RTCScene own = nullptr;        ///< of what moves
        bool solid = true;             ///< nothing of it lets light pass
    };
    RTCDevice device = nullptr;
    RTCScene fixed = nullptr;  ///< all that stands
    /// With something that moves one a moment, of what stands and what moves, each as an instance: rays through
    /// structures that stand are met twice as quickly as through those that move.
    std::vector<RTCScene> moments;
    std::vector<Item> items;
    bool solid = true;

    ~Built() {
        for (Item& i : items)
            if (i.own) rtcReleaseScene(i.own);
        for (RTCScene m : moments) rtcReleaseScene(m);
        if (fixed) rtcReleaseScene(fixed);
        if (device) rtcReleaseDevice(device);
    }
    [[nodiscard]] RTCScene at(float time) const { return moments.empty() ? fixed : moments[momentOf(time)]; }
    [[nodiscard]] size_t momentOf(float time) const {
        return std::min(size_t(std::max(0.0F, time) * float(moments.size())), moments.size() - 1);
    }
    [[nodiscard]] float middleOf(float time) const { return (float(momentOf(time)) + 0.5F) / float(moments.size()); }
    [[nodiscard]] Similarity placeAt(int item, float time) const {
        const auto& from = items[size_t(item)].from;
        if (from.size() == 1) return from[0];
        const double at = double(std::clamp(time, 0.0F, 1.0F)) * double(from.size() - 1);
        const size_t i = std::min(size_t(at), from.size() - 2);
        const double share = at - double(i);
        return {(1 - share) * from[i].scale + share * from[i + 1].scale,
                from[i].rotation.slerp(share, from[i + 1].rotation),
                (1 - share) * from[i].translation + share * from[i + 1].translation};
    }
};

RayScene::RayScene(std::vector<ProofItem> items, const Eigen::Vector3d& origin)
    : items_(std::move(items)), origin_(origin), built_(std::make_unique<Built>()) {
    Built& b = *built_;
    b.device = rtcNewDevice(nullptr);
    if (!b.device) throw Error(text("The ray tracer could not be started. Report this."));
    const bool anyMoves =
        std::any_of(items_.begin(), items_.end(), [](const ProofItem& i) { return i.worldFromShape.size() > 1; });
    b.fixed = rtcNewScene(b.device);
    for (int k = 0; anyMoves && k < moments; ++k) b.moments.push_back(rtcNewScene(b.device));
    b.items.resize(items_.size());
    std::map<const Picture8*, std::shared_ptr<const ray_scene::MipPicture>> pictures;
    for (size_t i = 0; i < items_.size(); ++i) {
        const ProofItem& item = items_[i];
        Built::Item& to = b.items[i];
        for (Similarity s : item.worldFromShape) {
            s.translation -= origin_;
            to.from.push_back(s);
        }
        if (to.from.empty()) to.from.push_back({1, Eigen::Quaterniond::Identity(), -origin_});
        for (const auto& p : item.pictures) {
            if (p && !pictures[p.get()] && p->width > 0)
                pictures[p.get()] = std::make_shared<const ray_scene::MipPicture>(*p);
            to.pictures.push_back(p ? pictures[p.get()] : nullptr);
        }
        to.turn = to.from[0].rotation.cast<float>().toRotationMatrix();
        const DrawnShape& s = *item.shape;
        for (size_t m = 0; m < std::max<size_t>(1, s.shape.materials.size()); ++m) {
            const Eigen::Vector4d c =
                m < s.shape.materials.size() ? s.shape.materials[m].colour.value_or(item.colour) : item.colour;
            to.colours.emplace_back(linearOf(c), float(c.w()));
        }
        if (item.round) to.normals = roundNormals(s);
        to.solid = item.colour.w() >= 1 &&
                   std::all_of(s.shape.materials.begin(), s.shape.materials.end(), [](const Material& m) {
                       return m.blend == Blend::over && (!m.colour || m.colour->w() >= 1) && m.picture.empty();
                   });
        b.solid = b.solid && to.solid;
        const bool moves = to.from.size() > 1;
        RTCGeometry mesh = rtcNewGeometry(b.device, RTC_GEOMETRY_TYPE_TRIANGLE);
        auto* vertices = static_cast<float*>(rtcSetNewGeometryBuffer(mesh, RTC_BUFFER_TYPE_VERTEX, 0, RTC_FORMAT_FLOAT3,
                                                                     12, std::max<size_t>(1, s.shape.vertices.size())));
        auto* corners = static_cast<unsigned*>(rtcSetNewGeometryBuffer(mesh, RTC_BUFFER_TYPE_INDEX, 0, RTC_FORMAT_UINT3,
                                                                       12, std::max<size_t>(1, s.triangles.size())));
        if (!vertices || !corners) {
            rtcReleaseGeometry(mesh);
            throw Error(text("The things are too large for the memory of this machine. Hide some of them."));
        }
        for (size_t v = 0; v < s.shape.vertices.size(); ++v) {
            const Eigen::Vector3d p = moves ? s.shape.vertices[v] : to.from[0].point(s.shape.vertices[v]);
            for (int k = 0; k < 3; ++k) vertices[3 * v + size_t(k)] = float(p[k]);
        }
        for (size_t t = 0; t < s.triangles.size(); ++t)
            for (size_t k = 0; k < 3; ++k) corners[3 * t + k] = unsigned(s.triangles[t].vertex[k]);
        if (s.triangles.empty()) corners[0] = corners[1] = corners[2] = 0;
        const unsigned mask = item.part == ProofPart::shown ? shown : item.id == 0 ? ground : real;
        if (mask == shown && !s.triangles.empty()) {
            const Eigen::Vector3d middle = (s.low + s.high) / 2;
            Sphere sphere{to.from[0].point(middle).cast<float>(), 0};
            for (const Similarity& at : to.from)
                sphere.radius = std::max(sphere.radius, float((at.point(middle) - to.from[0].point(middle)).norm() +
                                                              at.scale * (s.high - s.low).norm() / 2));
            spheres_.push_back(sphere);
        }
        present_ |= mask;
        rtcSetGeometryMask(mesh, mask);
        rtcCommitGeometry(mesh);
        if (!moves) {
            rtcAttachGeometryByID(b.fixed, mesh, unsigned(i));
            rtcReleaseGeometry(mesh);
            continue;
        }
        to.own = rtcNewScene(b.device);
        rtcAttachGeometry(to.own, mesh);
        rtcReleaseGeometry(mesh);
        rtcCommitScene(to.own);
        for (size_t k = 0; k < b.moments.size(); ++k) {
            const Similarity at = b.placeAt(int(i), (float(k) + 0.5F) / float(b.moments.size()));
            Eigen::Matrix4f matrix = Eigen::Matrix4f::Identity();
            matrix.topLeftCorner<3, 3>() = float(at.scale) * at.rotation.cast<float>().toRotationMatrix();
            matrix.topRightCorner<3, 1>() = at.translation.cast<float>();
            RTCGeometry instance = rtcNewGeometry(b.device, RTC_GEOMETRY_TYPE_INSTANCE);
            rtcSetGeometryInstancedScene(instance, to.own);
            rtcSetGeometryTransform(instance, 0, RTC_FORMAT_FLOAT4X4_COLUMN_MAJOR, matrix.data());
            rtcSetGeometryMask(instance, mask);
            rtcCommitGeometry(instance);
            rtcAttachGeometryByID(b.moments[k], instance, unsigned(i));
            rtcReleaseGeometry(instance);
        }
    }
    rtcCommitScene(b.fixed);
    for (RTCScene m : b.moments) {
        RTCGeometry standing = rtcNewGeometry(b.device, RTC_GEOMETRY_TYPE_INSTANCE);
        rtcSetGeometryInstancedScene(standing, b.fixed);
        rtcSetGeometryMask(standing, all);
        rtcCommitGeometry(standing);
        rtcAttachGeometryByID(m, standing, unsigned(items_.size()));
        rtcReleaseGeometry(standing);
        rtcCommitScene(m);
    }
    if (rtcGetDeviceError(b.device) != RTC_ERROR_NONE)
        throw Error(text("The things are too large for the memory of this machine. Hide some of them."));
}

RayScene::~RayScene() = default;

bool RayScene::meet(const Eigen::Vector3f& from, const Eigen::Vector3f& along, float nearest, float farthest,
                    float time, unsigned mask, float spread, SurfacePoint& out) const {
    RTCIntersectContext context;
    rtcInitIntersectContext(&context);
    RTCRayHit ray;
    ray.ray = {from.x(), from.y(), from.z(), nearest, along.x(), along.y(), along.z(), time, farthest, mask, 0, 0};
    ray.hit.geomID = ray.hit.instID[0] = RTC_INVALID_GEOMETRY_ID;
    rtcIntersect1(built_->at(time), &context, &ray);
    if (ray.hit.geomID == RTC_INVALID_GEOMETRY_ID) return false;
    const bool moves = ray.hit.instID[0] < items_.size();
    out.item = int(moves ? ray.hit.instID[0] : ray.hit.geomID);
    const ProofItem& item = items_[size_t(out.item)];
    const Built::Item& built = built_->items[size_t(out.item)];
    const DrawnShape& s = *item.shape;
    const DrawnShape::Triangle& t = s.triangles[ray.hit.primID];
    out.distance = ray.ray.tfar;
    out.position = from + out.distance * along;
    const Similarity place = moves ? built_->placeAt(out.item, built_->middleOf(time)) : built.from[0];
    const Eigen::Matrix3f turn = moves ? Eigen::Matrix3f(place.rotation.cast<float>().toRotationMatrix()) : built.turn;
    out.normal = turn * t.normal;
    const float u = ray.hit.u, v = ray.hit.v;
    const auto blend = [&](const auto& list) { return ((1 - u - v) * list(0) + u * list(1) + v * list(2)).eval(); };
    out.facing = out.normal;
    if (!built.normals.empty()) {
        const Eigen::Vector3f n = blend([&](size_t k) { return built.normals[size_t(t.corner[k])]; });
        if (n.norm() > 0) out.facing = turn * n.normalized();
    }
    if (out.normal.dot(along) > 0) out.normal = -out.normal, out.facing = -out.facing;
    // A rounded normal must not look away from the viewer.
    if (const float away = out.facing.dot(along); away > -1e-3F)
        out.facing = (out.facing - (away + 1e-3F) * along).normalized();
    const auto& materials = s.shape.materials;
    const Material plain, &m = size_t(t.material) < materials.size() ? materials[size_t(t.material)] : plain;
    std::tie(out.surface.base, out.opacity) = built.colours[std::min(size_t(t.material), built.colours.size() - 1)];
    out.unlit = m.unlit;
    out.blend = m.blend;
    out.surface.roughness = item.roughness.value_or(float(m.roughness));
    out.surface.metalness = item.metalness.value_or(float(m.metalness));
    if (size_t(t.material) < built.pictures.size() && built.pictures[size_t(t.material)] && !s.shape.uv.empty()) {
        const ray_scene::MipPicture& picture = *built.pictures[size_t(t.material)];
        const auto uv = [&](size_t k) -> Eigen::Vector2f { return s.shape.uv[size_t(t.corner[k])].cast<float>(); };
        // Texels a world unit, from the triangle's areas; a slanted surface is read along its mean.
        const auto p = [&](size_t k) { return s.shape.vertices[size_t(t.vertex[k])]; };
        const double area = (p(1) - p(0)).cross(p(2) - p(0)).norm() * place.scale * place.scale;
        const Eigen::Vector2f a = uv(1) - uv(0), b = uv(2) - uv(0);
        const double texels = std::fabs(double(a.x() * b.y() - a.y() * b.x())) * picture.width() * picture.height();
        const float slant = std::max(0.05F, -out.normal.dot(along));
        const float across = spread * out.distance / std::sqrt(slant);
        const Eigen::Vector4f c = picture.at(blend(uv), across * float(std::sqrt(texels / std::max(1e-30, area))));
        out.opacity *= c.w();
        if (c.w() > 0) out.surface.base = out.surface.base.cwiseProduct(c.head<3>() / c.w()).cwiseMin(4);
    }
    out.glow = item.glow * out.surface.base;
    return true;
}

float RayScene::passes(const Eigen::Vector3f& from, const Eigen::Vector3f& along, float farthest, float time,
                       unsigned mask) const {
    if ((mask & present_) == 0) return 1;
    const float nearest = gap(from);
    if (built_->solid) {
        RTCIntersectContext context;
        rtcInitIntersectContext(&context);
        RTCRay ray{from.x(), from.y(), from.z(), nearest, along.x(), along.y(), along.z(), time, farthest, mask, 0, 0};
        rtcOccluded1(built_->at(time), &context, &ray);
        return ray.tfar < 0 ? 0 : 1;
    }
    float share = 1, at = nearest;
    SurfacePoint p;
    // Beyond so many layers of glass nothing is told apart.
    for (int layer = 0; layer < 32 && share > 0.001F; ++layer) {
        if (!meet(from, along, at, farthest, time, mask, 0, p)) return share;
        if (p.blend == Blend::over && items_[size_t(p.item)].part == ProofPart::shown) share *= 1 - p.opacity;
        else if (items_[size_t(p.item)].part != ProofPart::shown) return 0;
        at = p.distance + gap(p.position);
    }
    return share > 0.001F ? share : 0;
}

}  // namespace va
