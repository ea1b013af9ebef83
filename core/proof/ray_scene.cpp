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
#include "proof/mip_picture.h"

namespace va {
namespace {

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

/// Embree's own form of a packet; `valid` marks those that are there.
void put(const RayPacket& from, float time, unsigned mask, RTCRay8& to) {
    for (size_t k = 0; k < laneCount; ++k) {
        to.org_x[k] = from.from.x[k], to.org_y[k] = from.from.y[k], to.org_z[k] = from.from.z[k];
        to.dir_x[k] = from.along.x[k], to.dir_y[k] = from.along.y[k], to.dir_z[k] = from.along.z[k];
        to.tfar[k] = from.farthest[k], to.time[k] = time, to.mask[k] = mask;
        to.tnear[k] = 0, to.flags[k] = to.id[k] = 0;
    }
}

/// Edges where a surface ends, in the shape's own axes: of one triangle alone, or of two that lie back to back, as
/// those of a card. None where there are very many.
std::vector<std::pair<Eigen::Vector3f, Eigen::Vector3f>> openEdges(const DrawnShape& s) {
    constexpr size_t most = 256;
    struct At {
        int count = 0;
        Eigen::Vector3f normal = Eigen::Vector3f::Zero();
        bool backToBack = false;
    };
    std::map<std::pair<int, int>, At> edges;
    for (const auto& t : s.triangles)
        for (size_t k = 0; k < 3; ++k) {
            At& at = edges[std::minmax(t.vertex[k], t.vertex[(k + 1) % 3])];
            at.backToBack = ++at.count == 2 && at.normal.dot(t.normal) < -0.999F;
            at.normal = t.normal;
        }
    std::vector<std::pair<Eigen::Vector3f, Eigen::Vector3f>> out;
    for (const auto& [edge, at] : edges)
        if (at.count == 1 || at.backToBack)
            out.emplace_back(s.shape.vertices[size_t(edge.first)].cast<float>(),
                             s.shape.vertices[size_t(edge.second)].cast<float>());
    if (out.size() > most) out.clear();
    return out;
}

Eigen::Vector3f linearOf(const Eigen::Vector4d& c) {
    return {linearFromDisplay(float(c.x())), linearFromDisplay(float(c.y())), linearFromDisplay(float(c.z()))};
}

}  // namespace

struct RayScene::Built {
    struct Item {
        std::vector<std::pair<Eigen::Vector3f, float>> colours;  ///< linear light and opacity, one a material or one
        std::vector<Eigen::Vector3f> normals;                    ///< of corners, in its own axes
        std::vector<std::shared_ptr<const ray_scene::MipPicture>> pictures;
        std::vector<Similarity> from;                                     ///< over the shutter, from the scene's origin
        std::vector<Similarity> at;                                       ///< each moment's place; one of what stands
        std::vector<Eigen::Matrix3f> turn;                                ///< the same, its rotation alone
        std::vector<std::pair<Eigen::Vector3f, Eigen::Vector3f>> border;  ///< open edges of a catcher
        RTCScene own = nullptr;                                           ///< of what moves
        bool solid = true;                                                ///< nothing of it lets light pass
    };
    RTCDevice device = nullptr;
    RTCScene fixed = nullptr;  ///< all that stands
    /// What moves, one a moment: rays through structures that stand are met twice as quickly as through those that
    /// move, and most rays pass all of it by.
    std::vector<RTCScene> moments;
    std::vector<LaneSphere> movers;  ///< about what moves, at all moments
    std::vector<Item> items;
    bool solid = true;

    ~Built() {
        for (Item& i : items)
            if (i.own) rtcReleaseScene(i.own);
        for (RTCScene m : moments) rtcReleaseScene(m);
        if (fixed) rtcReleaseScene(fixed);
        if (device) rtcReleaseDevice(device);
    }
    [[nodiscard]] RTCScene moversAt(float time) const { return moments[momentOf(time)]; }
    /// Whether a ray may meet what moves. `along` has the length 1.
    [[nodiscard]] bool nearMovers(const Eigen::Vector3f& from, const Eigen::Vector3f& along) const {
        return std::any_of(movers.begin(), movers.end(), [&](const LaneSphere& s) {
            const Eigen::Vector3f to = s.middle - from;
            const float ahead = to.dot(along);
            return ahead > -s.radius && to.squaredNorm() - ahead * ahead <= s.radius * s.radius;
        });
    }
    bool nearMovers(const RayPacket& rays, LaneMask& near) const {
        if (movers.empty()) return false;
        near = {};
        for (const LaneSphere& s : movers) markNear(s, rays.from, rays.along, near);
        int any = 0;
        for (size_t k = 0; k < laneCount; ++k) any |= near[k] &= rays.on[k];
        return any != 0;
    }
    [[nodiscard]] size_t momentOf(float time) const {
        return std::min(size_t(std::max(0.0F, time) * float(moments.size())), moments.size() - 1);
    }
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
        for (int k = 0; k < (to.from.size() > 1 ? moments : 1); ++k) {
            to.at.push_back(b.placeAt(int(i), (float(k) + 0.5F) / float(moments)));
            to.turn.emplace_back(to.at.back().rotation.cast<float>().toRotationMatrix());
        }
        const DrawnShape& s = *item.shape;
        for (size_t m = 0; m < std::max<size_t>(1, s.shape.materials.size()); ++m) {
            const Eigen::Vector4d c =
                m < s.shape.materials.size() ? s.shape.materials[m].colour.value_or(item.colour) : item.colour;
            to.colours.emplace_back(linearOf(c), float(c.w()));
        }
        if (item.part == ProofPart::catcher && item.id != 0) to.border = openEdges(s);
        if (item.round) to.normals = roundNormals(s);
        to.solid = item.colour.w() >= 1 &&
                   std::all_of(s.shape.materials.begin(), s.shape.materials.end(), [](const Material& m) {
                       return m.blend == Blend::over && (!m.colour || m.colour->w() >= 1) && m.picture.empty();
                   });
        b.solid = b.solid && (to.solid || item.part == ProofPart::pane);
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
        const unsigned mask = item.part == ProofPart::shown  ? shown
                              : item.part == ProofPart::pane ? pane
                              : item.id == 0                 ? ground
                                                             : real;
        if (!s.triangles.empty()) {
            const Eigen::Vector3d middle = (s.low + s.high) / 2;
            double reach = 0;
            for (const Eigen::Vector3d& v : s.shape.vertices) reach = std::max(reach, (v - middle).squaredNorm());
            LaneSphere sphere{to.from[0].point(middle).cast<float>(), 0};
            for (const Similarity& at : to.from)
                sphere.radius = std::max(sphere.radius, float((at.point(middle) - to.from[0].point(middle)).norm() +
                                                              at.scale * std::sqrt(reach)));
            if (mask == shown) spheres_.push_back(sphere);
            sphere.radius *= 1.001F;  // for rounding
            if (moves) b.movers.push_back(sphere);
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
            const Similarity& at = to.at[k];
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
    for (RTCScene m : b.moments) rtcCommitScene(m);
    if (rtcGetDeviceError(b.device) != RTC_ERROR_NONE)
        throw Error(text("The things are too large for the memory of this machine. Hide some of them."));
}

RayScene::~RayScene() = default;

bool RayScene::solid() const { return built_->solid; }

RayHit RayScene::meet(const Eigen::Vector3f& from, const Eigen::Vector3f& along, float nearest, float farthest,
                      float time, unsigned mask) const {
    RTCIntersectContext context;
    rtcInitIntersectContext(&context);
    RTCRayHit ray;
    ray.ray = {from.x(), from.y(), from.z(), nearest, along.x(), along.y(), along.z(), time, farthest, mask, 0, 0};
    RayHit out;
    const auto follow = [&](RTCScene scene, bool moves) {
        ray.hit.geomID = ray.hit.instID[0] = RTC_INVALID_GEOMETRY_ID;
        rtcIntersect1(scene, &context, &ray);
        if (ray.hit.geomID != RTC_INVALID_GEOMETRY_ID)
            out = {ray.ray.tfar, int(moves ? ray.hit.instID[0] : ray.hit.geomID), ray.hit.primID, ray.hit.u, ray.hit.v};
    };
    follow(built_->fixed, false);
    if (built_->nearMovers(from, along)) follow(built_->moversAt(time), true);
    return out;
}

std::array<RayHit, laneCount> RayScene::meet(const RayPacket& rays, float time, unsigned mask) const {
    RTCIntersectContext context;
    rtcInitIntersectContext(&context);
    if (rays.alike) context.flags = RTC_INTERSECT_CONTEXT_FLAG_COHERENT;
    RTCRayHit8 r;
    put(rays, time, mask, r.ray);
    std::array<RayHit, laneCount> out;
    const auto follow = [&](RTCScene scene, const LaneMask& valid, bool moves) {
        for (auto& id : r.hit.geomID) id = RTC_INVALID_GEOMETRY_ID;
        for (auto& id : r.hit.instID[0]) id = RTC_INVALID_GEOMETRY_ID;
        rtcIntersect8(valid.data(), scene, &context, &r);
        for (size_t k = 0; k < laneCount; ++k)
            if (valid[k] && r.hit.geomID[k] != RTC_INVALID_GEOMETRY_ID)
                out[k] = {r.ray.tfar[k], int(moves ? r.hit.instID[0][k] : r.hit.geomID[k]), r.hit.primID[k], r.hit.u[k],
                          r.hit.v[k]};
    };
    follow(built_->fixed, rays.on, false);
    alignas(32) LaneMask near;
    if (built_->nearMovers(rays, near)) follow(built_->moversAt(time), near, true);
    return out;
}

SurfacePlace RayScene::placeAt(const RayHit& hit, const Eigen::Vector3f& from, const Eigen::Vector3f& along,
                               float time) const {
    const Built::Item& built = built_->items[size_t(hit.item)];
    const Eigen::Matrix3f& turn = built.turn[built.own ? built_->momentOf(time) : 0];
    const Eigen::Vector3f normal = turn * items_[size_t(hit.item)].shape->triangles[hit.triangle].normal;
    return {from + hit.distance * along, normal.dot(along) > 0 ? Eigen::Vector3f(-normal) : normal};
}

SurfacePoint RayScene::surfaceAt(const RayHit& hit, const Eigen::Vector3f& from, const Eigen::Vector3f& along,
                                 float time, float spread) const {
    SurfacePoint out;
    out.item = hit.item;
    const ProofItem& item = items_[size_t(out.item)];
    const Built::Item& built = built_->items[size_t(out.item)];
    const DrawnShape& s = *item.shape;
    const DrawnShape::Triangle& t = s.triangles[hit.triangle];
    out.distance = hit.distance;
    out.position = from + out.distance * along;
    const size_t moment = built.own ? built_->momentOf(time) : 0;
    const Similarity& place = built.at[moment];
    const Eigen::Matrix3f& turn = built.turn[moment];
    out.normal = turn * t.normal;
    if (item.part != ProofPart::shown) {  // nobody sees its own look
        if (out.normal.dot(along) > 0) out.normal = -out.normal;
        out.facing = out.normal;
        return out;
    }
    const float u = hit.u, v = hit.v;
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
    static const Material plain;
    const Material& m = size_t(t.material) < materials.size() ? materials[size_t(t.material)] : plain;
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
    return out;
}

Eigen::Vector2f RayScene::shiftAt(const RayHit& hit, float time, const Eigen::Matrix3f& axes) const {
    const ProofItem& item = items_[size_t(hit.item)];
    const Built::Item& built = built_->items[size_t(hit.item)];
    const DrawnShape& s = *item.shape;
    const DrawnShape::Triangle& t = s.triangles[hit.triangle];
    const auto material = size_t(t.material);
    if (material >= built.pictures.size() || !built.pictures[material] || s.shape.uv.empty())
        return Eigen::Vector2f::Zero();
    const ray_scene::MipPicture& picture = *built.pictures[material];
    const auto uv = [&](size_t k) -> Eigen::Vector2f { return s.shape.uv[size_t(t.corner[k])].cast<float>(); };
    const auto p = [&](size_t k) { return Eigen::Vector3f(s.shape.vertices[size_t(t.vertex[k])].cast<float>()); };
    const Eigen::Vector2f at = (1 - hit.u - hit.v) * uv(0) + hit.u * uv(1) + hit.v * uv(2);
    const auto height = [&](float u, float v) { return picture.at(at + Eigen::Vector2f(u, v), 2).head<3>().mean(); };
    // Slopes over the card's whole width, along both directions of the picture.
    const float du = 1.5F / float(picture.width()), dv = 1.5F / float(picture.height());
    const float alongU = (height(du, 0) - height(-du, 0)) / (2 * du),
                alongV = (height(0, dv) - height(0, -dv)) / (2 * dv);
    // Those directions in space, by the triangle's own.
    const Eigen::Vector2f a = uv(1) - uv(0), b = uv(2) - uv(0);
    const float area = a.x() * b.y() - a.y() * b.x();
    if (!(std::fabs(area) > 1e-20F)) return Eigen::Vector2f::Zero();
    const Eigen::Matrix3f& turn = built.turn[built.own ? built_->momentOf(time) : 0];
    const Eigen::Vector3f right = turn * ((b.y() * (p(1) - p(0)) - a.y() * (p(2) - p(0))) / area),
                          up = turn * ((a.x() * (p(2) - p(0)) - b.x() * (p(1) - p(0))) / area);
    const float width = right.norm();
    if (!(width > 0) || !(up.norm() > 0)) return Eigen::Vector2f::Zero();
    const Eigen::Vector3f way = alongU * right / width + alongV * (width / up.norm()) * up / up.norm();
    return item.shift / 10 * Eigen::Vector2f(way.dot(axes.col(0)), -way.dot(axes.col(1)));
}

float RayScene::toBorder(int item, const Eigen::Vector3f& at, float time, float most) const {
    const Built::Item& built = built_->items[size_t(item)];
    if (built.border.empty()) return most;
    const Similarity& place = built.at[built.own ? built_->momentOf(time) : 0];
    const Eigen::Vector3f own = place.inverse().point(at.cast<double>()).cast<float>();
    float nearest = most / float(place.scale);
    for (const auto& [a, b] : built.border) {
        const Eigen::Vector3f ab = b - a;
        const float share = std::clamp((own - a).dot(ab) / std::max(1e-20F, ab.squaredNorm()), 0.0F, 1.0F);
        nearest = std::min(nearest, (own - a - share * ab).norm());
    }
    return nearest * float(place.scale);
}

float RayScene::passes(const Eigen::Vector3f& from, const Eigen::Vector3f& along, float farthest, float time,
                       unsigned mask) const {
    if (!has(mask)) return 1;
    const float nearest = gap(from);
    if (built_->solid) {
        RTCIntersectContext context;
        rtcInitIntersectContext(&context);
        RTCRay ray{from.x(), from.y(), from.z(), nearest, along.x(), along.y(), along.z(), time, farthest, mask, 0, 0};
        rtcOccluded1(built_->fixed, &context, &ray);
        if (ray.tfar >= 0 && built_->nearMovers(from, along)) rtcOccluded1(built_->moversAt(time), &context, &ray);
        return ray.tfar < 0 ? 0 : 1;
    }
    float share = 1, at = nearest;
    // Beyond so many layers of glass nothing is told apart.
    for (int layer = 0; layer < 32 && share > 0.001F; ++layer) {
        const RayHit hit = meet(from, along, at, farthest, time, mask);
        if (hit.item < 0) return share;
        if (items_[size_t(hit.item)].part != ProofPart::shown) return 0;
        const SurfacePoint p = surfaceAt(hit, from, along, time, 0);
        if (p.blend == Blend::over) share *= 1 - p.opacity;
        at = p.distance + gap(p.position);
    }
    return share > 0.001F ? share : 0;
}

Lanes RayScene::passes(const RayPacket& rays, float time, unsigned mask) const {
    Lanes out;
    out.fill(1);
    if (!has(mask) || rays.on == LaneMask{}) return out;
    if (!built_->solid) {
        for (int k = 0; k < laneCount; ++k)
            if (rays.on[size_t(k)])
                out[size_t(k)] = passes(rays.from.at(k), rays.along.at(k), rays.farthest[size_t(k)], time, mask);
        return out;
    }
    RTCIntersectContext context;
    rtcInitIntersectContext(&context);
    if (rays.alike) context.flags = RTC_INTERSECT_CONTEXT_FLAG_COHERENT;
    RTCRay8 r;
    put(rays, time, mask, r);
    for (int k = 0; k < laneCount; ++k) r.tnear[k] = gap(rays.from.at(k));
    rtcOccluded8(rays.on.data(), built_->fixed, &context, &r);
    alignas(32) LaneMask near;
    if (built_->nearMovers(rays, near)) {
        for (size_t k = 0; k < laneCount; ++k) near[k] &= r.tfar[k] >= 0 ? -1 : 0;
        if (near != LaneMask{}) rtcOccluded8(near.data(), built_->moversAt(time), &context, &r);
    }
    for (size_t k = 0; k < laneCount; ++k)
        if (rays.on[k] && r.tfar[k] < 0) out[k] = 0;
    return out;
}

}  // namespace va
