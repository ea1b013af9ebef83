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
/// Layers of glass that are looked through.
constexpr int mostLayers = 12;
/// Samples of every pixel after which those that nothing touches are left alone.
constexpr int probeSamples = 4;
// What a sample's numbers are used for; those of a bounce follow each other.
enum Use : uint32_t {
    onFilm,
    onLens,
    atLight = 3,  ///< and the fifteen after it
    scattering = 19,
    ofLobe,
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
    return colour[i] != Eigen::Vector4f::Zero() || mirrored[i] != Eigen::Vector4f::Zero() ||
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
    const SampleTable& table;
    uint32_t pixel, index;
    float time;
    long rays = 0;
    [[nodiscard]] Eigen::Vector2f at(uint32_t use) const { return table.at(pixel, index, use); }
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
    if (options_.passes) {
        layers_.depth.assign(n, 0);
        layers_.position.assign(n, zero);
        layers_.item.assign(n, -1);
        layers_.open.assign(n, 0);
        for (const ProofItem& i : scene_->items())
            layers_.covered.emplace_back(i.part == ProofPart::shown ? n : 0, 0.0F);
    }
    options_.catchers.resize(scene_->items().size());
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
    // All rays of one moment after each other: they meet the same structure.
    for (int moment = 0; moment < (moves_ ? RayScene::moments : 1); ++moment) {
        const float time = moves_ ? (float(moment) + 0.5F) / RayScene::moments : 0.5F;
        const CameraRays now = camera_.atTime(time);
        parallelRanges(frame_.height, 4, [&](int begin, int end) {
            long own = 0;
            for (int y = begin; y < end; ++y) {
                if (progress) progress->check();
                for (int x = 0; x < frame_.width; ++x) {
                    const size_t pixel = size_t(y) * size_t(frame_.width) + size_t(x);
                    if (!idle_.empty() && idle_[pixel]) continue;
                    if (!moves_)
                        for (int s = from; s < to; ++s) sample(x, y, uint32_t(s), time, now, own);
                    else
                        for (int s = from + ((firstSampleAt(moment, pixel) - from) & (RayScene::moments - 1)); s < to;
                             s += RayScene::moments)
                            sample(x, y, uint32_t(s), time, now, own);
                }
            }
            rays += own;
        });
    }
    layers_.samples += samples;
    rays_ += rays;
}

/// Pixels that no thing, shadow or mirror picture has come near to need no more samples.
void ProofRender::findIdle() {
    const int w = frame_.width, h = frame_.height;
    // As far as blur carries, and so far along a wire thinner than a pixel that some sample has met it.
    const int reach = 8 + int(std::ceil(3 * options_.filterSigma / float(frame_.step)));
    std::vector<uint8_t> busy(layers_.count());
    for (size_t i = 0; i < busy.size(); ++i)
        busy[i] = layers_.colour[i] != Eigen::Vector4f::Zero() || layers_.mirrored[i] != Eigen::Vector4f::Zero() ||
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
int ProofRender::firstSampleAt(int moment, size_t pixel) const {
    static_assert(RayScene::moments == 16);
    const int turned = (moment & 1) << 3 | (moment & 2) << 1 | (moment & 4) >> 1 | (moment & 8) >> 3;
    return (turned - int(hashOf(options_.seed, uint32_t(pixel)) & 15U)) & 15;
}

void ProofRender::sample(int x, int y, uint32_t index, float time, const CameraRays& camera, long& rays) {
    const size_t pixel = size_t(y) * size_t(frame_.width) + size_t(x);
    Path path{table_, uint32_t(pixel), index, time};
    const Eigen::Vector2f u = path.at(onFilm);
    const Eigen::Vector2f off = options_.filterSigma > 0
                                    ? Eigen::Vector2f(options_.filterSigma / float(frame_.step) * normalPair(u))
                                    : Eigen::Vector2f(u - Eigen::Vector2f::Constant(0.5F));
    auto line = camera.at(frame_.platePx(float(x) + off.x(), float(y) + off.y()), path.time);
    if (!line) return;
    if (options_.aperture > 0) {
        const Eigen::Vector2f l = path.at(onLens);
        const float r = options_.aperture * std::sqrt(l.x()), phi = 2 * pi * l.y();
        const Eigen::Matrix3f& axes = camera_.axes();
        const Eigen::Vector3f sharp =
            line->from + options_.focusDistance / std::max(1e-3F, line->along.dot(axes.col(2))) * line->along;
        line->from += r * std::cos(phi) * axes.col(0) + r * std::sin(phi) * axes.col(1);
        line->along = (sharp - line->from).normalized();
    }
    float seen = 1, nearest = 0;
    SurfacePoint at;
    for (int layer = 0; layer < mostLayers && seen > 0.003F; ++layer) {
        ++path.rays;
        if (!scene_->meet(line->from, line->along, nearest, std::numeric_limits<float>::infinity(), path.time,
                          RayScene::all, camera_.spread(), at))
            break;
        const ProofPart part = scene_->items()[size_t(at.item)].part;
        if (part == ProofPart::standIn) break;
        if (part == ProofPart::catcher) {
            catches(at, line->along, seen, pixel, path);
            break;
        }
        float open = 1;
        Eigen::Vector3f light = lightOf(at, line->along, path, options_.passes ? &open : nullptr);
        if (options_.haze > 0) {
            const float clear = std::exp2(-at.distance / options_.haze);
            light = clear * light + (1 - clear) * options_.hazeColour;
        }
        const float share = seen * at.opacity;
        layers_.colour[pixel].head<3>() += share * light;
        if (at.blend == Blend::over) {
            layers_.colour[pixel].w() += share;
            seen -= share;
        }
        if (options_.passes) layers_.covered[size_t(at.item)][pixel] += share;
        if (options_.passes && at.opacity > 0.5F) {
            float& depth = layers_.depth[pixel];
            const float away = (at.position - line->from).dot(camera_.axes().col(2));
            if (depth == 0 || away < depth)
                depth = away, layers_.position[pixel] = at.position, layers_.item[pixel] = at.item;
            layers_.open[pixel] += share * open;
        }
        nearest = at.distance + RayScene::gap(at.position);
    }
    rays += path.rays;
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

Eigen::Vector3f ProofRender::lightOf(const SurfacePoint& first, const Eigen::Vector3f& along, Path& path,
                                     float* open) const {
    Eigen::Vector3f sum = Eigen::Vector3f::Zero(), carried = Eigen::Vector3f::Ones(), way = along;
    SurfacePoint at = first;
    for (int bounce = 0;; ++bounce) {
        sum += carried.cwiseProduct(at.glow);
        if (at.unlit) return sum + carried.cwiseProduct(at.surface.base);
        const uint32_t use = perBounce * uint32_t(bounce);
        const Axes axes(at.facing);
        const Eigen::Vector3f out = axes.toLocal(-way);
        const Scatter scatter(at.surface, out);
        const Eigen::Vector3f from = at.position + RayScene::gap(at.position) * at.normal;
        for (size_t l = 0; l < lights_.size(); ++l) {
            const auto light = sampleLight(lights_[l], from, path.at(use + lightUse(l)));
            if (!light || light->direction.dot(at.normal) <= 0) continue;
            const Eigen::Vector3f in = axes.toLocal(light->direction);
            const Eigen::Vector3f share = scatter.value(in);
            if (share.maxCoeff() <= 0) continue;
            const float weight = light->density > 0 ? balanced(light->density, scatter.density(in)) : 1;
            ++path.rays;
            const float passed = scene_->passes(from, light->direction, light->distance, path.time, RayScene::all);
            sum += weight * passed * carried.cwiseProduct(share).cwiseProduct(light->light);
        }
        const Eigen::Vector3f in = scatter.sample(path.at(use + scattering), path.at(use + ofLobe).x());
        Eigen::Vector3f next = axes.toWorld(in);
        float density = scatter.density(in);
        if (!(density > 0)) return sum;
        const Eigen::Vector3f share = scatter.value(in) / density;
        if (!share.allFinite()) return sum;
        carried = carried.cwiseProduct(share);
        // Where a rounded normal sends light below the flat face it stands for, it goes on above: none is lost. No
        // other sampling meets such directions.
        if (const float below = next.dot(at.normal); below <= 0) {
            next = (next - 2 * below * at.normal).normalized();
            density = 1e30F;
        }
        way = next;
        SurfacePoint met;
        ++path.rays;
        // Through glass a path goes by chance, as often as it is clear.
        float nearest = 0;
        bool hit = false;
        for (int layer = 0; layer < mostLayers; ++layer) {
            hit = scene_->meet(from, way, nearest, std::numeric_limits<float>::infinity(), path.time, RayScene::all,
                               0.05F, met);
            if (!hit || met.opacity >= 1 || path.at(use + throughGlass + uint32_t(layer)).x() < met.opacity) break;
            nearest = met.distance + RayScene::gap(met.position);
        }
        if (bounce == 0 && open) *open = hit ? 0 : 1;
        sum +=
            carried.cwiseProduct(sky(from, way, hit ? met.distance : std::numeric_limits<float>::infinity(), density));
        if (!hit) return sum;
        if (scene_->items()[size_t(met.item)].part != ProofPart::shown) {
            if (options_.real) sum += carried.cwiseProduct(options_.real(met.position));
            return sum;
        }
        if (bounce >= options_.bounces) return sum;
        // Paths that carry little end by chance, and the others carry it for them.
        const float kept = std::min(1.0F, carried.maxCoeff());
        if (path.at(use + ending).x() >= kept) return sum;
        carried /= kept;
        at = met;
    }
}

ProofRender::Shaded ProofRender::shaded(const Eigen::Vector3f& place, const Eigen::Vector3f& normal) const {
    /// Shares of the surroundings' light below this are not seen: a quarter of a step of 8 bits.
    constexpr float noticed = 0.0007F;
    /// Beyond so many things asking each costs more than the rays.
    constexpr size_t mostAsked = 64;
    if (scene_->spheres().size() > mostAsked) return {true, true};
    Shaded out;
    float hidden = 0;
    for (const RayScene::Sphere& s : scene_->spheres()) {
        const Eigen::Vector3f to = s.middle - place;
        // A sphere's configuration factor: its share of the sky, by the cosine; one at the horizon is half below it.
        const float away = std::max(1e-6F, to.norm()), share = s.radius / away;
        hidden += share * share * std::max(to.dot(normal) / away, share);
        for (const ProofLight& l : lights_) {
            if (const auto* sun = std::get_if<SunLight>(&l)) {
                // How far the sphere's middle is beside the line to the sun, against how wide both are there.
                const float along = to.dot(sun->toSun);
                const float wide = s.radius + std::max(0.0F, along) * sun->diameter * 0.51F;
                if (along > -s.radius && away * away - along * along < wide * wide) out.key = true;
                continue;
            }
            const auto* sky = std::get_if<SkyLight>(&l);
            if (!sky) out.key = true;
            else if (sky->picture) out.sky = true;  // it may hold a sun of its own
        }
        out.sky = out.sky || hidden > noticed;
        if (out.sky && out.key) break;
    }
    return out;
}

void ProofRender::catches(const SurfacePoint& at, const Eigen::Vector3f& along, float weight, size_t pixel,
                          Path& path) {
    layers_.caught[pixel] += weight;
    const CatcherLook& look = options_.catchers[size_t(at.item)];
    const bool mirrors = look.mirror > 0 && scene_->has(RayScene::shown);
    const Shaded darkened = shaded(at.position, at.normal);
    const bool darkens = darkened.sky || darkened.key;
    if (!darkens && !mirrors) return;
    const Eigen::Vector3f from = at.position + RayScene::gap(at.position) * at.normal;
    const Axes axes(at.normal);
    for (size_t l = 0; darkens && l < lights_.size(); ++l) {
        const Eigen::Vector2f u = path.at(lightUse(l));
        std::optional<LightSample> light;
        float cosine = 0;
        const auto* even = std::get_if<SkyLight>(&lights_[l]);
        if (even && !even->picture) {
            // Even light by the cosine: every ray counts as much.
            const float r = std::sqrt(u.x()), phi = 2 * pi * u.y();
            light.emplace();
            light->direction =
                axes.toWorld({r * std::cos(phi), r * std::sin(phi), std::sqrt(std::max(0.0F, 1 - u.x()))});
            light->light = pi * even->strength;
            cosine = 1;
        } else {
            light = sampleLight(lights_[l], from, u);
            if (!light) continue;
            cosine = light->direction.dot(at.normal);
        }
        if (cosine <= 0) continue;
        const float past = scene_->passes(from, light->direction, light->distance, path.time, RayScene::real);
        if (past <= 0) continue;
        // What nothing can be in the way of needs no ray; it counts all the same.
        const bool free = ambient(lights_[l]) ? !darkened.sky : !darkened.key;
        path.rays += int(scene_->has(RayScene::real)) + int(!free);
        const float left =
            free ? past : past * scene_->passes(from, light->direction, light->distance, path.time, RayScene::shown);
        const Eigen::Vector3f full = weight * cosine * light->light;
        (ambient(lights_[l]) ? layers_.skyLight : layers_.keyLight)[pixel] += past * full;
        (ambient(lights_[l]) ? layers_.skyLeft : layers_.keyLeft)[pixel] += left * full;
    }
    if (!mirrors) return;
    const Eigen::Vector3f normal = rippled(at.normal, at.position + scene_->origin().cast<float>(), look);
    const Axes own(normal);
    const Eigen::Vector3f out = own.toLocal(-along);
    if (out.z() <= 0) return;
    const Scatter mirror({Eigen::Vector3f::Ones(), look.roughness, 1}, out);
    const Eigen::Vector3f in = mirror.sample(path.at(mirroring), 0);
    const Eigen::Vector3f way = own.toWorld(in);
    if (in.z() <= 0 || way.dot(at.normal) <= 0) return;
    ++path.rays;
    SurfacePoint met;
    if (!scene_->meet(from, way, 0, std::numeric_limits<float>::infinity(), path.time, RayScene::all, camera_.spread(),
                      met) ||
        scene_->items()[size_t(met.item)].part != ProofPart::shown)
        return;
    // Schlick's term: water mirrors more at a flat angle.
    const float flat = std::pow(1 - std::min(1.0F, out.z()), 5.0F);
    float share = weight * met.opacity * (look.mirror + (1 - look.mirror) * flat);
    if (look.fade > 0) share *= std::exp2(-std::max(0.0F, (met.position - at.position).dot(at.normal)) / look.fade);
    layers_.mirrored[pixel].head<3>() += share * lightOf(met, way, path, nullptr);
    layers_.mirrored[pixel].w() += share;
}

}  // namespace va
