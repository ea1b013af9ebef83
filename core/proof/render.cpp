// SPDX-License-Identifier: GPL-3.0-or-later
#include "proof/render.h"

#include <algorithm>
#include <atomic>
#include <cmath>
#include <numbers>

#include "base/parallel.h"
#include "proof/sample_sequence.h"

namespace va {
namespace {

constexpr float pi = std::numbers::pi_v<float>;
/// Samples that are covered but for this share see nothing more.
constexpr float least = 0.003F;
/// Layers of glass that are looked through.
constexpr int mostLayers = 12;
/// Rows that are rendered together.
constexpr int stripRows = 8;
/// Samples of every pixel after which those that nothing touches are left alone.
constexpr int probeSamples = 4;
// What a sample's numbers are used for; those of a bounce follow each other.
enum Use : uint32_t {
    onFilm,
    onLens,
    atLight = 3,  ///< and the fifteen after it
    scattering = 19,
    ending,
    throughGlass,  ///< and the eleven after it
    mirroring = 34,
    perBounce = 36
};
/// Lights beyond the sixteenth share numbers with the first ones.
uint32_t lightUse(size_t light) { return atLight + uint32_t(light % 16); }

float noise(int x, int y, int z) { return float(hashOf(uint32_t(x), hashOf(uint32_t(y), uint32_t(z)))) * 0x1p-31F - 1; }
/// Smooth noise between the corners of a grid of unit cells.
float waves(const Eigen::Vector3f& p) {
    const Eigen::Vector3f f(std::floor(p.x()), std::floor(p.y()), std::floor(p.z())), t = p - f;
    const Eigen::Vector3f s = t.cwiseProduct(t).cwiseProduct(Eigen::Vector3f::Constant(3) - 2 * t);
    const int x = int(f.x()), y = int(f.y()), z = int(f.z());
    float sum = 0;
    for (int k = 0; k < 8; ++k)
        sum += noise(x + (k & 1), y + (k >> 1 & 1), z + (k >> 2)) * ((k & 1) ? s.x() : 1 - s.x()) *
               ((k >> 1 & 1) ? s.y() : 1 - s.y()) * ((k >> 2) ? s.z() : 1 - s.z());
    return sum;
}
/// A normal that waves tilt.
Eigen::Vector3f rippled(const Eigen::Vector3f& normal, const Eigen::Vector3f& world, const CatcherLook& look) {
    if (!(look.ripple > 0)) return normal;
    const Eigen::Vector3f p = world / std::max(1e-6F, look.rippleSize);
    constexpr float step = 0.05F, rms = 1.1F;  // of the noise's slope, measured
    const Eigen::Vector3f slope((waves(p + step * Eigen::Vector3f::UnitX()) - waves(p)) / step,
                                (waves(p + step * Eigen::Vector3f::UnitY()) - waves(p)) / step,
                                (waves(p + step * Eigen::Vector3f::UnitZ()) - waves(p)) / step);
    const Eigen::Vector3f flat = slope - slope.dot(normal) * normal;
    return (normal - look.ripple / rms * flat).normalized();
}

float balanced(float a, float b) { return a + b > 0 ? a / (a + b) : 0; }

/// The inverse of the normal distribution's integral, by Box & Muller's pair (Ann. Math. Stat. 29, 1958).
Eigen::Vector2f normalPair(const Eigen::Vector2f& u) {
    const float r = std::sqrt(-2 * std::log(1 - u.x())), phi = 2 * pi * u.y();
    return {r * std::cos(phi), r * std::sin(phi)};
}

}  // namespace

bool ProofLayers::touched(size_t i) const {
    return (!shifted.empty() && shifted[i].head<2>() != Eigen::Vector2f::Zero()) ||
           colour[i] != Eigen::Vector4f::Zero() || mirrored[i] != Eigen::Vector4f::Zero() ||
           (caught[i] > 0 && (keyLight[i] != keyLeft[i] || skyLight[i] != skyLeft[i]));
}

Eigen::Vector3f ProofLayers::shade(size_t i, const std::optional<Eigen::Vector3f>& ambient) const {
    if (!(caught[i] > 0)) return Eigen::Vector3f::Ones();
    Eigen::Vector3f out;
    for (int c = 0; c < 3; ++c) {
        const float key = keyLight[i][c], sky = skyLight[i][c];
        const float keyShare = key > 0 ? keyLeft[i][c] / key : 1, skyShare = sky > 0 ? skyLeft[i][c] / sky : 1;
        const float surroundings = ambient ? (*ambient)[c] : key + sky > 0 ? sky / (key + sky) : 0;
        out[c] = surroundings * skyShare + (1 - surroundings) * keyShare;
    }
    return out;
}

/// One sample on its way.
struct ProofRender::Path {
    const SampleTable* table = nullptr;
    uint32_t pixel = 0, index = 0;
    float time = 0;
    long rays = 0;
    [[nodiscard]] Eigen::Vector2f at(uint32_t use) const { return table->at(pixel, index, use); }
};
/// A path that has met a surface of a thing.
struct ProofRender::Walk {
    Path* path = nullptr;
    SurfacePoint at;
    Eigen::Vector3f way;  ///< of the ray that met it
    Eigen::Vector3f light = Eigen::Vector3f::Zero(), carried = Eigen::Vector3f::Ones();
    float open = 1;  ///< 0 where the first direction that the surface scatters to meets something
    bool on = true;
    std::optional<Axes> axes;  ///< of the surface, and how it scatters
    std::optional<Scatter> scatter;
    void begin(Path& of, const SurfacePoint& surface, const Eigen::Vector3f& along) {
        path = &of, at = surface, way = along;
        light.setZero(), carried.setOnes();
        open = 1, on = true;
    }
    [[nodiscard]] Eigen::Vector3f from() const { return at.position + RayScene::gap(at.position) * at.normal; }
    void add(const Eigen::Vector3f& l) { light += carried.cwiseProduct(l); }
};
/// Samples that are followed together, of one moment.
struct ProofRender::Bundle {
    RayPacket rays;
    int count = 0;
    Lanes filmX{}, filmY{};  ///< px of the plate; before they begin, pixels of the render
    LaneIndices pixels{}, indices{};
    std::array<Path, laneCount> paths;
    std::array<Walk, laneCount> walks;  ///< room for those that meet things
};
/// A sample that has met a catcher.
struct ProofRender::Caught {
    SurfacePlace at;
    Eigen::Vector3f along;
    int item;
    float weight;  ///< what of it is not covered by things
    Path* path;
};

ProofRender::ProofRender(std::shared_ptr<const RayScene> scene, std::vector<ProofLight> lights, CameraRays rays,
                         const ProofFrame& frame, ProofOptions options)
    : scene_(std::move(scene)),
      lights_(std::move(lights)),
      camera_(std::move(rays)),
      moves_(camera_.moves() || std::any_of(scene_->items().begin(), scene_->items().end(),
                                            [](const ProofItem& i) { return i.worldFromShape.size() > 1; })),
      frame_(frame),
      options_(std::move(options)),
      table_(options_.seed, perBounce * uint32_t(std::max(0, options_.bounces) + 1)) {
    layers_.width = frame.width, layers_.height = frame.height;
    const size_t n = layers_.count();
    const Eigen::Vector3f zero = Eigen::Vector3f::Zero();
    layers_.colour.assign(n, Eigen::Vector4f::Zero());
    layers_.mirrored.assign(n, Eigen::Vector4f::Zero());
    layers_.caught.assign(n, 0);
    for (auto* list : {&layers_.keyLight, &layers_.keyLeft, &layers_.skyLight, &layers_.skyLeft}) list->assign(n, zero);
    if (scene_->has(RayScene::pane)) layers_.shifted.assign(n, zero);
    if (options_.passes) {
        layers_.depth.assign(n, 0);
        layers_.position.assign(n, zero);
        layers_.item.assign(n, -1);
        layers_.open.assign(n, 0);
        for (const ProofItem& i : scene_->items())
            layers_.covered.emplace_back(i.part == ProofPart::shown ? n : 0, 0.0F);
    }
    options_.catchers.resize(scene_->items().size());
    for (size_t i = 0; i < firsts_.size(); ++i) firsts_[i] = uint8_t(hashOf(options_.seed, uint32_t(i)) & 15U);
}

void ProofRender::add(int samples, const Progress* progress) {
    while (samples > 0) {
        const int done = layers_.samples, now = done < probeSamples ? std::min(samples, probeSamples - done) : samples;
        addEverywhere(now, progress);
        samples -= now;
        if (layers_.samples == probeSamples) findIdle();
    }
}

void ProofRender::addEverywhere(int samples, const Progress* progress) {
    const int from = layers_.samples, to = from + samples;
    std::atomic<long> rays{0};
    parallelRanges((frame_.height + stripRows - 1) / stripRows, 1, [&](int begin, int end) {
        long own = 0;
        for (int strip = begin; strip < end; ++strip)
            for (int moment = 0; moment < (moves_ ? RayScene::moments : 1); ++moment) {
                if (progress) progress->check();
                addStrip(strip * stripRows, moment, from, to, own);
            }
        rays += own;
    });
    layers_.samples += samples;
    rays_ += rays;
}

/// Samples of one moment, of some rows: what they read and write stays near.
void ProofRender::addStrip(int top, int moment, int from, int to, long& rays) {
    const float time = moves_ ? (float(moment) + 0.5F) / RayScene::moments : 0.5F;
    const int bottom = std::min(frame_.height, top + stripRows);
    // Beyond five deviations a blur asks nearly never.
    const CameraRays camera =
        camera_.strip(time, frame_, top, bottom - top, 5.8 * double(options_.filterSigma) / frame_.step);
    Bundle bundle;
    bundle.rays.farthest.fill(std::numeric_limits<float>::infinity());
    const auto sample = [&](int x, int y, size_t pixel, int index) {
        const auto k = size_t(bundle.count);
        bundle.pixels[k] = uint32_t(pixel), bundle.indices[k] = uint32_t(index);
        bundle.filmX[k] = float(x), bundle.filmY[k] = float(y);
        if (++bundle.count == laneCount) begin(bundle, time, camera), follow(bundle, rays);
    };
    for (int y = top; y < bottom; ++y)
        for (int x = 0; x < frame_.width; ++x) {
            const size_t pixel = size_t(y) * size_t(frame_.width) + size_t(x);
            if (!idle_.empty() && idle_[pixel]) continue;
            if (!moves_)
                for (int s = from; s < to; ++s) sample(x, y, pixel, s);
            else
                for (int s = from + ((firstSampleAt(moment, x, y) - from) & (RayScene::moments - 1)); s < to;
                     s += RayScene::moments)
                    sample(x, y, pixel, s);
        }
    if (bundle.count > 0) begin(bundle, time, camera), follow(bundle, rays);
}

/// Samples of pixels become rays.
void ProofRender::begin(Bundle& bundle, float time, const CameraRays& camera) const {
    Lanes u, v;
    table_.at(bundle.pixels, bundle.indices, onFilm, u, v);
    const auto step = float(frame_.step), left = float(frame_.left), top = float(frame_.top);
    if (options_.filterSigma > 0)
        for (size_t k = 0; k < laneCount; ++k) {
            const Eigen::Vector2f off = normalPair({u[k], v[k]}) * (options_.filterSigma / step);
            u[k] = off.x(), v[k] = off.y();
        }
    else
        for (size_t k = 0; k < laneCount; ++k) u[k] -= 0.5F, v[k] -= 0.5F;
    for (size_t k = 0; k < laneCount; ++k) {
        bundle.filmX[k] = left + (bundle.filmX[k] + u[k]) * step;
        bundle.filmY[k] = top + (bundle.filmY[k] + v[k]) * step;
        bundle.rays.on[k] = k < size_t(bundle.count) ? -1 : 0;
        bundle.paths[k] = {&table_, bundle.pixels[k], bundle.indices[k], time};
    }
    camera.through(bundle.filmX, bundle.filmY, bundle.rays.from, bundle.rays.along, bundle.rays.on);
    if (!(options_.aperture > 0)) return;
    for (int k = 0; k < bundle.count; ++k) {
        if (!bundle.rays.on[size_t(k)]) continue;
        const auto line =
            throughAperture({bundle.rays.from.at(k), bundle.rays.along.at(k)}, bundle.paths[size_t(k)].at(onLens));
        bundle.rays.from.set(k, line.from);
        bundle.rays.along.set(k, line.along);
    }
}

/// Pixels that no thing, shadow or mirror picture has come near to need no more samples.
void ProofRender::findIdle() {
    const int w = frame_.width, h = frame_.height;
    // As far as blur carries, and so far along a wire thinner than a pixel that some sample has met it.
    const int reach = 8 + int(std::ceil(3 * options_.filterSigma / float(frame_.step)));
    std::vector<uint8_t> busy(layers_.count());
    for (size_t i = 0; i < busy.size(); ++i)
        busy[i] = (!layers_.shifted.empty() && layers_.shifted[i].z() > 0) ||
                  layers_.colour[i] != Eigen::Vector4f::Zero() || layers_.mirrored[i] != Eigen::Vector4f::Zero() ||
                  layers_.keyLight[i] != Eigen::Vector3f::Zero() || layers_.skyLight[i] != Eigen::Vector3f::Zero();
    // Spread along rows, then along columns.
    std::vector<uint8_t> rows(busy.size());
    parallelRanges(h, 32, [&](int begin, int end) {
        for (int y = begin; y < end; ++y)
            for (int x = 0; x < w; ++x) {
                uint8_t any = 0;
                for (int k = std::max(0, x - reach); k <= std::min(w - 1, x + reach); ++k)
                    any |= busy[size_t(y) * size_t(w) + size_t(k)];
                rows[size_t(y) * size_t(w) + size_t(x)] = any;
            }
    });
    idle_.assign(busy.size(), 0);
    parallelRanges(h, 32, [&](int begin, int end) {
        for (int y = begin; y < end; ++y)
            for (int x = 0; x < w; ++x) {
                uint8_t any = 0;
                for (int k = std::max(0, y - reach); k <= std::min(h - 1, y + reach); ++k)
                    any |= rows[size_t(k) * size_t(w) + size_t(x)];
                idle_[size_t(y) * size_t(w) + size_t(x)] = !any;
            }
    });
}

/// The first of a pixel's samples that looks at a moment: each sixteen that follow each other look at all of them, and
/// each four at four that lie far apart.
int ProofRender::firstSampleAt(int moment, int x, int y) const {
    static_assert(RayScene::moments == 16);
    const int turned = (moment & 1) << 3 | (moment & 2) << 1 | (moment & 4) >> 1 | (moment & 8) >> 3;
    return (turned - firsts_[size_t(y & 63) * 64 + size_t(x & 63)]) & 15;
}

CameraRays::Line ProofRender::throughAperture(CameraRays::Line line, const Eigen::Vector2f& l) const {
    const float r = options_.aperture * std::sqrt(l.x()), phi = 2 * pi * l.y();
    const Eigen::Matrix3f& axes = camera_.axes();
    const Eigen::Vector3f sharp =
        line.from + options_.focusDistance / std::max(1e-3F, line.along.dot(axes.col(2))) * line.along;
    line.from += r * std::cos(phi) * axes.col(0) + r * std::sin(phi) * axes.col(1);
    line.along = (sharp - line.from).normalized();
    return line;
}

void ProofRender::follow(Bundle& bundle, long& rays) {
    if (bundle.count == 0) return;
    auto hits = scene_->meet(bundle.rays, bundle.paths[0].time, RayScene::seen);
    std::array<Caught, laneCount> caught;
    size_t onCatchers = 0;
    Lanes weights;  ///< share of each sample that nothing covers yet
    for (size_t k = 0; k < laneCount; ++k) weights[k] = bundle.rays.on[k] ? 1 : 0;
    for (int layer = 0; layer < mostLayers; ++layer) {
        auto& walks = bundle.walks;
        std::array<size_t, laneCount> lane{};
        size_t onThings = 0;
        for (size_t k = 0; k < size_t(bundle.count); ++k) {
            if (!(weights[k] > least)) continue;
            Path& path = bundle.paths[k];
            ++path.rays;
            if (!layers_.shifted.empty()) lookThrough(bundle, k, hits[k], weights[k]);
            const ProofPart part = hits[k].item < 0 ? ProofPart::standIn : scene_->items()[size_t(hits[k].item)].part;
            const Eigen::Vector3f along = bundle.rays.along.at(int(k));
            if (part != ProofPart::standIn) {
                const Eigen::Vector3f from = bundle.rays.from.at(int(k));
                if (part == ProofPart::shown) {
                    walks[onThings].begin(path, scene_->surfaceAt(hits[k], from, along, path.time, camera_.spread()),
                                          along);
                    lane[onThings++] = k;
                    continue;
                }
                const int item = hits[k].item;
                const SurfacePlace at = scene_->placeAt(hits[k], from, along, path.time);
                const float edge = options_.catchers[size_t(item)].edge;
                const float whole = edge > 0 ? scene_->toBorder(item, at.position, path.time, edge) / edge : 1;
                caught[onCatchers++] = {at, along, item, weights[k] * whole * whole * (3 - 2 * whole), &path};
            }
            weights[k] = 0;
        }
        if (onThings == 0) break;
        std::array<SurfacePoint, laneCount> met;
        for (size_t i = 0; i < onThings; ++i) met[i] = walks[i].at;
        shine({walks.data(), onThings});
        for (size_t i = 0; i < onThings; ++i) {
            const size_t k = lane[i];
            walks[i].at = met[i];
            const Eigen::Vector3f from = bundle.rays.from.at(int(k)), along = bundle.rays.along.at(int(k));
            show(walks[i], weights[k], from);
            if (met[i].blend == Blend::over) weights[k] -= weights[k] * met[i].opacity;
            if (!(weights[k] > least)) continue;
            hits[k] = scene_->meet(from, along, met[i].distance + RayScene::gap(met[i].position),
                                   std::numeric_limits<float>::infinity(), bundle.paths[k].time, RayScene::seen);
        }
    }
    catches({caught.data(), onCatchers});
    for (int k = 0; k < bundle.count; ++k) rays += bundle.paths[size_t(k)].rays;
    bundle.count = 0;
    bundle.rays.on = {};
}

/// A sample that has met a pane goes on behind it, from another place of the picture.
void ProofRender::lookThrough(Bundle& bundle, size_t k, RayHit& hit, float weight) {
    for (int pane = 0; pane < mostLayers; ++pane) {
        if (hit.item < 0 || scene_->items()[size_t(hit.item)].part != ProofPart::pane) return;
        const Path& path = bundle.paths[k];
        const Eigen::Vector2f shift = scene_->shiftAt(hit, path.time, camera_.axes());
        bundle.filmX[k] += shift.x(), bundle.filmY[k] += shift.y();
        layers_.shifted[path.pixel] += weight * Eigen::Vector3f(shift.x(), shift.y(), 1);
        if (auto line = camera_.at({bundle.filmX[k], bundle.filmY[k]}, path.time)) {
            if (options_.aperture > 0) line = throughAperture(*line, path.at(onLens));
            bundle.rays.from.set(int(k), line->from);
            bundle.rays.along.set(int(k), line->along);
        }
        const Eigen::Vector3f from = bundle.rays.from.at(int(k));
        const float past = hit.distance + RayScene::gap(from + hit.distance * bundle.rays.along.at(int(k)));
        hit = scene_->meet(from, bundle.rays.along.at(int(k)), past * 1.0001F, std::numeric_limits<float>::infinity(),
                           path.time, RayScene::seen);
    }
}

/// Adds what a sample sees of a thing.
void ProofRender::show(const Walk& walk, float weight, const Eigen::Vector3f& from) {
    const SurfacePoint& at = walk.at;
    const size_t pixel = walk.path->pixel;
    Eigen::Vector3f light = walk.light;
    if (options_.haze > 0) {
        const float clear = std::exp2(-at.distance / options_.haze);
        light = clear * light + (1 - clear) * options_.hazeColour;
    }
    const float share = weight * at.opacity;
    layers_.colour[pixel].head<3>() += share * light;
    if (at.blend == Blend::over) layers_.colour[pixel].w() += share;
    if (!options_.passes) return;
    layers_.covered[size_t(at.item)][pixel] += share;
    if (at.opacity <= 0.5F) return;
    float& depth = layers_.depth[pixel];
    const float away = (at.position - from).dot(camera_.axes().col(2));
    if (depth == 0 || away < depth) depth = away, layers_.position[pixel] = at.position, layers_.item[pixel] = at.item;
    layers_.open[pixel] += share * walk.open;
}

/// Lights that a ray runs into, weighed against having been asked for directly with `density` of the ray's direction.
Eigen::Vector3f ProofRender::sky(const Eigen::Vector3f& from, const Eigen::Vector3f& along, float distance,
                                 float density) const {
    Eigen::Vector3f sum = Eigen::Vector3f::Zero();
    for (const ProofLight& l : lights_)
        if (const auto seen = seeLight(l, from, along, distance))
            sum += balanced(density, seen->density) * seen->radiance;
    return sum;
}

void ProofRender::shine(std::span<Walk> walks) const {
    const auto any = [&] { return std::any_of(walks.begin(), walks.end(), [](const Walk& w) { return w.on; }); };
    for (int bounce = 0; any(); ++bounce) {
        for (Walk& w : walks) {
            if (!w.on) continue;
            w.add(w.at.glow);
            if (w.at.unlit) w.add(w.at.surface.base);
            w.on = !w.at.unlit;
            if (!w.on) continue;
            w.axes.emplace(w.at.facing);
            w.scatter.emplace(w.at.surface, w.axes->toLocal(-w.way));
        }
        askLights(walks, perBounce * uint32_t(bounce));
        goOn(walks, bounce);
    }
}

/// Each light is asked once.
void ProofRender::askLights(std::span<Walk> walks, uint32_t use) const {
    for (size_t l = 0; l < lights_.size(); ++l) {
        const auto* even = std::get_if<SkyLight>(&lights_[l]);
        if (even && !even->picture) continue;  // scattered rays alone find it
        RayPacket rays;
        rays.alike = !ambient(lights_[l]);
        LaneIndices pixels{}, indices{};
        for (size_t k = 0; k < walks.size(); ++k) {
            if (!walks[k].on) continue;
            rays.on[k] = -1;
            rays.from.set(int(k), walks[k].from());
            pixels[k] = walks[k].path->pixel, indices[k] = walks[k].path->index;
        }
        Lanes u, v;
        table_.at(pixels, indices, use + lightUse(l), u, v);
        LightLanes lit;
        sampleLight(lights_[l], rays.from, u, v, rays.on, rays.along, rays.farthest, lit);
        std::array<Eigen::Vector3f, laneCount> found;
        for (size_t k = 0; k < walks.size(); ++k) {
            if (!rays.on[k]) continue;
            Walk& w = walks[k];
            rays.on[k] = 0;
            const Eigen::Vector3f direction = rays.along.at(int(k));
            if (direction.dot(w.at.normal) <= 0) continue;
            const auto [share, density] = w.scatter->from(w.axes->toLocal(direction));
            if (share.maxCoeff() <= 0) continue;
            const float weight = lit.density[k] > 0 ? balanced(lit.density[k], density) : 1;
            ++w.path->rays;
            rays.on[k] = -1;
            found[k] = weight * share.cwiseProduct(lit.light.at(int(k)));
        }
        if (rays.on == LaneMask{}) continue;
        const Lanes passed = scene_->passes(rays, walks[0].path->time, RayScene::all);
        for (size_t k = 0; k < walks.size(); ++k)
            if (rays.on[k] && passed[k] > 0) walks[k].add(passed[k] * found[k]);
    }
}

/// Paths go on in a direction that the surface scatters to.
void ProofRender::goOn(std::span<Walk> walks, int bounce) const {
    const uint32_t use = perBounce * uint32_t(bounce);
    RayPacket rays;
    rays.alike = false;
    rays.farthest.fill(std::numeric_limits<float>::infinity());
    Lanes densities{}, u, v;
    LaneIndices pixels{}, indices{};
    for (size_t k = 0; k < walks.size(); ++k) pixels[k] = walks[k].path->pixel, indices[k] = walks[k].path->index;
    table_.at(pixels, indices, use + scattering, u, v);
    for (size_t k = 0; k < walks.size(); ++k) {
        Walk& w = walks[k];
        if (!w.on) continue;
        const Eigen::Vector3f in = w.scatter->sample({u[k], v[k]});
        Eigen::Vector3f next = w.axes->toWorld(in);
        auto [share, density] = w.scatter->from(in);
        share /= density;
        w.on = density > 0 && share.allFinite();
        if (!w.on) continue;
        w.carried = w.carried.cwiseProduct(share);
        // Where a rounded normal sends light below the flat face it stands for, it goes on above: none is lost. No
        // other sampling meets such directions.
        if (const float below = next.dot(w.at.normal); below <= 0) {
            next = (next - 2 * below * w.at.normal).normalized();
            density = 1e30F;
        }
        ++w.path->rays;
        w.way = next, densities[k] = density;
        rays.from.set(int(k), w.from());
        rays.along.set(int(k), next);
        rays.on[k] = -1;
    }
    if (rays.on == LaneMask{}) return;
    const auto hits = scene_->meet(rays, walks[0].path->time, RayScene::all);
    for (size_t k = 0; k < walks.size(); ++k) {
        Walk& w = walks[k];
        if (!w.on) continue;
        const Eigen::Vector3f from = rays.from.at(int(k));
        RayHit hit = hits[k];
        SurfacePoint met;
        // Through glass a path goes by chance, as often as it is clear.
        const auto isShown = [&] { return scene_->items()[size_t(hit.item)].part == ProofPart::shown; };
        const auto distanceOnly = [&] { return !isShown() || (bounce >= options_.bounces && scene_->solid()); };
        for (int layer = 0; hit.item >= 0; ++layer) {
            if (distanceOnly()) {
                static_cast<SurfacePlace&>(met) = {from + hit.distance * w.way, Eigen::Vector3f::Zero()};
                met.distance = hit.distance, met.item = hit.item;
                break;
            }
            met = scene_->surfaceAt(hit, from, w.way, w.path->time, 0.05F);
            if (met.opacity >= 1 || layer + 1 >= mostLayers ||
                w.path->at(use + throughGlass + uint32_t(layer)).x() < met.opacity)
                break;
            hit = scene_->meet(from, w.way, met.distance + RayScene::gap(met.position),
                               std::numeric_limits<float>::infinity(), w.path->time, RayScene::all);
        }
        const bool meets = hit.item >= 0;
        if (bounce == 0) w.open = meets ? 0 : 1;
        w.add(sky(from, w.way, meets ? met.distance : std::numeric_limits<float>::infinity(), densities[k]));
        w.on = meets && bounce < options_.bounces;
        if (!meets) continue;
        if (scene_->items()[size_t(met.item)].part != ProofPart::shown) {
            if (options_.real) w.add(options_.real(met.position));
            w.on = false;
        }
        if (!w.on) continue;
        // Paths that carry little end by chance, and the others carry it for them.
        const float kept = std::min(1.0F, w.carried.maxCoeff());
        w.on = w.path->at(use + ending).x() < kept;
        w.carried /= kept;
        w.at = met;
    }
}

ProofRender::Shaded ProofRender::shaded(const Lanes3& places, const Lanes3& normals) const {
    /// Shares of the surroundings' light below this are not seen: a quarter of a step of 8 bits.
    constexpr float noticed = 0.0007F;
    /// Beyond so many things asking each costs more than the rays.
    constexpr size_t mostAsked = 64;
    Shaded out;
    bool sky = scene_->spheres().size() > mostAsked, key = sky;
    for (const ProofLight& l : lights_) {
        const auto* even = std::get_if<SkyLight>(&l);
        if (even && even->picture) sky = true;  // it may hold a sun of its own
        if (!even && !std::holds_alternative<SunLight>(l)) key = true;
    }
    Lanes hidden{};
    if (!sky)
        for (const LaneSphere& s : scene_->spheres()) addHidden(s, places, normals, hidden);
    if (!key)
        for (const ProofLight& l : lights_)
            if (const auto* sun = std::get_if<SunLight>(&l))
                for (const LaneSphere& s : scene_->spheres())
                    markNear(s, places, sun->toSun, sun->diameter * 0.51F, out.key);
    for (size_t k = 0; k < laneCount; ++k) {
        out.sky[k] = sky || hidden[k] > noticed ? -1 : 0;
        if (key) out.key[k] = -1;
    }
    return out;
}

/// Rays from places to a light.
struct ProofRender::Asked {
    Lanes3 normals;
    RayPacket rays;  ///< those that are on begin with all places; those below the surface go out
    Lanes3 light;    ///< irradiance by it
};

void ProofRender::ask(const ProofLight& light, const Lanes& u, const Lanes& v, Asked& out) const {
    RayPacket& rays = out.rays;
    rays.farthest.fill(std::numeric_limits<float>::infinity());
    const auto* even = std::get_if<SkyLight>(&light);
    if (even && !even->picture) {
        // Even light by the cosine: every ray counts as much.
        rays.alike = false;
        cosineWays(out.normals, u, v, rays.along);
        for (int k = 0; k < laneCount; ++k) out.light.set(k, pi * even->strength);
        return;
    }
    rays.alike = !even;
    LightLanes lit;
    sampleLight(light, rays.from, u, v, rays.on, rays.along, rays.farthest, lit);
    const Lanes cosine = dot(rays.along, out.normals);
    for (size_t k = 0; k < laneCount; ++k) {
        if (cosine[k] <= 0) rays.on[k] = 0;
        out.light.x[k] = lit.light.x[k] * cosine[k], out.light.y[k] = lit.light.y[k] * cosine[k];
        out.light.z[k] = lit.light.z[k] * cosine[k];
    }
}

void ProofRender::catches(std::span<const Caught> places) {
    if (places.empty()) return;
    Asked asked;
    Lanes3 from;
    LaneMask there{};
    LaneIndices pixels{}, indices{};
    for (size_t k = 0; k < places.size(); ++k) {
        const SurfacePlace& at = places[k].at;
        layers_.caught[places[k].path->pixel] += places[k].weight;
        from.set(int(k), at.position + RayScene::gap(at.position) * at.normal);
        asked.normals.set(int(k), at.normal);
        there[k] = -1;
        pixels[k] = places[k].path->pixel, indices[k] = places[k].path->index;
    }
    const Shaded darkened = shaded(from, asked.normals);
    LaneMask dark;
    for (size_t k = 0; k < laneCount; ++k) dark[k] = there[k] & (darkened.sky[k] | darkened.key[k]);
    const float time = places[0].path->time;
    for (size_t l = 0; l < lights_.size() && dark != LaneMask{}; ++l) {
        const bool surroundings = ambient(lights_[l]);
        Lanes u, v;
        table_.at(pixels, indices, lightUse(l), u, v);
        asked.rays.from = from;
        asked.rays.on = dark;
        ask(lights_[l], u, v, asked);
        const LaneMask counted = asked.rays.on;
        const Lanes past = scene_->passes(asked.rays, time, RayScene::real);
        // What nothing can be in the way of needs no ray; it counts all the same.
        for (size_t k = 0; k < laneCount; ++k)
            asked.rays.on[k] &= past[k] > 0 ? (surroundings ? darkened.sky : darkened.key)[k] : 0;
        const Lanes left = scene_->passes(asked.rays, time, RayScene::shown);
        auto& lights = surroundings ? layers_.skyLight : layers_.keyLight;
        auto& lefts = surroundings ? layers_.skyLeft : layers_.keyLeft;
        for (size_t k = 0; k < places.size(); ++k) {
            if (!counted[k]) continue;
            Path& path = *places[k].path;
            path.rays += int(scene_->has(RayScene::real)) - asked.rays.on[k];
            const Eigen::Vector3f light = places[k].weight * past[k] * asked.light.at(int(k));
            lights[path.pixel] += light;
            lefts[path.pixel] += left[k] * light;
        }
    }
    if (scene_->has(RayScene::shown)) mirrors(places);
}

void ProofRender::mirrors(std::span<const Caught> places) {
    RayPacket rays;
    rays.farthest.fill(std::numeric_limits<float>::infinity());
    Lanes steep{};
    for (size_t k = 0; k < places.size(); ++k) {
        const SurfacePlace& at = places[k].at;
        const CatcherLook& look = options_.catchers[size_t(places[k].item)];
        if (!(look.mirror > 0)) continue;
        const Eigen::Vector3f normal = rippled(at.normal, at.position + scene_->origin().cast<float>(), look);
        const Axes own(normal);
        const Eigen::Vector3f out = own.toLocal(-places[k].along);
        if (out.z() <= 0) continue;
        const Scatter mirror({Eigen::Vector3f::Ones(), look.roughness, 1}, out);
        const Eigen::Vector3f in = mirror.sample(places[k].path->at(mirroring));
        const Eigen::Vector3f way = own.toWorld(in);
        if (in.z() <= 0 || way.dot(at.normal) <= 0) continue;
        ++places[k].path->rays;
        steep[k] = out.z();
        rays.from.set(int(k), at.position + RayScene::gap(at.position) * at.normal);
        rays.along.set(int(k), way);
        rays.on[k] = -1;
    }
    if (rays.on == LaneMask{}) return;
    const auto hits = scene_->meet(rays, places[0].path->time, RayScene::all);
    std::array<Walk, laneCount> walks;
    Lanes shares{};
    size_t count = 0;
    for (size_t k = 0; k < places.size(); ++k) {
        if (!rays.on[k] || hits[k].item < 0 || scene_->items()[size_t(hits[k].item)].part != ProofPart::shown) continue;
        const SurfacePlace& at = places[k].at;
        const CatcherLook& look = options_.catchers[size_t(places[k].item)];
        Walk& w = walks[count];
        const Eigen::Vector3f way = rays.along.at(int(k));
        w.begin(*places[k].path,
                scene_->surfaceAt(hits[k], rays.from.at(int(k)), way, places[k].path->time, camera_.spread()), way);
        // Schlick's term: water mirrors more at a flat angle.
        const float flat = std::pow(1 - std::min(1.0F, steep[k]), 5.0F);
        float share = places[k].weight * w.at.opacity * (look.mirror + (1 - look.mirror) * flat);
        if (look.fade > 0)
            share *= std::exp2(-std::max(0.0F, (w.at.position - at.position).dot(at.normal)) / look.fade);
        shares[count++] = share;
    }
    shine({walks.data(), count});
    for (size_t i = 0; i < count; ++i) {
        Eigen::Vector4f& sum = layers_.mirrored[walks[i].path->pixel];
        sum.head<3>() += shares[i] * walks[i].light;
        sum.w() += shares[i];
    }
}

}  // namespace va
