// SPDX-License-Identifier: GPL-3.0-or-later
#include "workflow/proof_work.h"

#include <algorithm>
#include <cmath>

#include "base/error.h"
#include "base/text.h"
#include "layout/assets.h"
#include "media/display_transform.h"
#include "proof/sample_sequence.h"
#include "proof/sun_position.h"
#include "workflow/exclusion.h"
#include "workflow/layout_work.h"
#include "workflow/place_things.h"

namespace va {
namespace {

constexpr double degree = M_PI / 180;
/// Moments of the shutter between which cameras and things go evenly.
constexpr int shutterSteps = 5;

/// A thing's place some part of a frame later or earlier: between those of the frames.
std::optional<Similarity> placeAfter(const Shot& shot, const Thing& thing, int frame, double late) {
    const auto here = PlacedThings(shot, frame).of(thing);
    if (!here || late == 0) return here;
    const auto next = PlacedThings(shot, frame + (late > 0 ? 1 : -1)).of(thing);
    if (!next) return here;
    const double share = std::fabs(late);
    return Similarity{(1 - share) * here->scale + share * next->scale, here->rotation.slerp(share, next->rotation),
                      (1 - share) * here->translation + share * next->translation};
}

std::shared_ptr<const DrawnShape> groundShape(double reach) {
    Shape s;
    s.vertices = {{-reach, 0, reach}, {reach, 0, reach}, {reach, 0, -reach}, {-reach, 0, -reach}};
    s.addFace({0, 1, 2, 3});
    return std::make_shared<const DrawnShape>(std::move(s));
}

CatcherLook lookOf(const CatcherSpec& c) {
    return {float(c.mirror),          float(c.roughness),  float(c.fade),
            float(c.ripple * degree), float(c.rippleSize), float(c.edge)};
}

/// The plate as light of what is real: a small copy of it, looked up where a place is seen.
RealLight plateLight(const Picture& plate, PictureEncoding encoding, const FrameCamera& camera,
                     const Eigen::Vector3d& origin) {
    constexpr int step = 8;
    auto small = std::make_shared<Picture>((plate.width + step - 1) / step, (plate.height + step - 1) / step);
    Eigen::Vector3d sum = Eigen::Vector3d::Zero();
    for (int y = 0; y < small->height; ++y)
        for (int x = 0; x < small->width; ++x) {
            float* to = small->at(x, y);
            int count = 0;
            for (int v = y * step; v < std::min(plate.height, (y + 1) * step); v += 2)
                for (int u = x * step; u < std::min(plate.width, (x + 1) * step); u += 2, ++count)
                    for (int c = 0; c < 3; ++c) to[c] += std::clamp(lightOf(plate.at(u, v)[c], encoding), 0.0F, 16.0F);
            for (int c = 0; c < 3; ++c) sum[c] += double(to[c] /= float(count)) / double(small->width * small->height);
        }
    return [small, camera, origin, mean = Eigen::Vector3f(sum.cast<float>())](const Eigen::Vector3f& place) {
        const auto px = camera.project(origin + place.cast<double>());
        if (!px) return mean;
        const double x = (px->x() + 0.5) / step - 0.5, y = (px->y() + 0.5) / step - 0.5;
        // What the picture does not show is taken from its border, as far as that is near.
        if (x < -small->width || y < -small->height || x > 2 * small->width || y > 2 * small->height) return mean;
        const float* c = small->at(std::clamp(int(std::lround(x)), 0, small->width - 1),
                                   std::clamp(int(std::lround(y)), 0, small->height - 1));
        return Eigen::Vector3f(c[0], c[1], c[2]);
    };
}

Eigen::Vector3f linearOf(const Eigen::Vector4d& c) {
    return {linearFromDisplay(float(c.x())), linearFromDisplay(float(c.y())), linearFromDisplay(float(c.z()))};
}

ProofLight lightOfThing(const Light& light, const Similarity& at, const Eigen::Vector4d& colour,
                        const Eigen::Vector3d& origin) {
    const auto axis = [&](const Eigen::Vector3d& v) { return Eigen::Vector3f((at.rotation * v).cast<float>()); };
    const Eigen::Vector3f place = (at.translation - origin).cast<float>();
    // A light that is scaled throws its light as far as its size says.
    const auto scale = float(at.scale);
    const Eigen::Vector3f strength = float(light.strength) * scale * scale * linearOf(colour);
    if (light.form == 0) {
        const Eigen::Vector3f right = scale * float(light.width) * axis(Eigen::Vector3d::UnitX()),
                              up = scale * float(light.height) * axis(Eigen::Vector3d::UnitY());
        return AreaLight{place - right / 2 - up / 2, right, up, strength};
    }
    SpotLight spot;
    spot.position = place;
    spot.axis = axis(Eigen::Vector3d::UnitZ());
    spot.radius = scale * float(light.width) / 2;
    spot.strength = strength;
    if (light.form == 1) {
        const double half = light.cone / 2 * degree;
        spot.cosOuter = float(std::cos(half));
        spot.cosInner = float(std::cos(half * (1 - light.edge)));
    } else spot.cosInner = spot.cosOuter = -1;
    return spot;
}

}  // namespace

double shutterOf(const Shot& shot) {
    if (shot.proof.look.shutter > 0) return shot.proof.look.shutter;
    return shot.blur.openShare > 0 ? shot.blur.openShare : 0.5;
}

std::string proofTrouble(const Shot& shot) {
    if (!shot.solve->has()) return text("There is no camera yet. Solve the shot first.");
    if (!shot.hasWorld())
        return text(
            "The camera only turns: places have no depth, so that nothing can stand in a proof. Hang a card on "
            "the camera, or add parallax.");
    const bool any = std::any_of(shot.things.begin(), shot.things.end(),
                                 [](const Thing& t) { return hasSurface(t.kind) && t.visible; });
    if (!any) return text("Nothing is laid out yet. Place a thing in Layout first.");
    const ProofSpec& p = shot.proof;
    const bool lights = std::any_of(shot.things.begin(), shot.things.end(),
                                    [](const Thing& t) { return std::holds_alternative<Light>(t.kind) && t.visible; });
    if (!lights && !(p.sun.on && p.sun.strength > 0) && !(p.sky.on && p.sky.strength > 0))
        return text("There is no light: things would be black. Switch on the sun or the sky.");
    if (p.sun.on && p.sun.strength > 0 && p.sun.toSun.y() <= 0)
        return text("The sun is below the horizon. Turn it up, or switch it off.");
    for (const ProofRole& r : p.roles) {
        const Thing* t = shot.thing(r.thing);
        const auto* card = t ? std::get_if<Card>(&t->kind) : nullptr;
        if (t && r.part == ProofPart::pane && (!card || card->file.empty()))
            return text(
                "%s is a pane without a picture: give it a card whose picture is light where the glass is thick.",
                t->name.c_str());
    }
    if (p.look.fNumber > 0 && !shot.ground->metric)
        return text("The f-number needs a scale: set one in Ground, or set the f-number to 0.");
    if (p.look.fNumber > 0 && !(p.look.focusDistance > 0))
        return text("The f-number needs a focus distance. Give one, or set the f-number to 0.");
    return {};
}

std::unique_ptr<ProofRender> ProofStage::render(const Shot& shot, const ProofRequest& request, const Picture* plate,
                                                const PlateTraits& traits) {
    const ProofSpec& spec = shot.proof;
    const int frame = request.frame;
    const auto camera = shot.cameraAt(frame);
    if (!camera) throw InputError(text("Frame %d has no camera: it was not solved.", frame));
    if (!shot.hasWorld()) throw InputError(proofTrouble(shot));
    const Eigen::Vector3d origin = camera->pose().position;
    const double open = request.shutter && spec.look.motionBlur ? shutterOf(shot) : 0;
    std::vector<FrameCamera> over;
    std::vector<double> late;
    for (int i = 0; i < (open > 0 ? shutterSteps : 1); ++i) {
        late.push_back(open > 0 ? open * (double(i) / (shutterSteps - 1) - 0.5) : 0);
        over.push_back(open > 0 ? *shot.solve->cameraAfter(frame, late.back(), shot.ground->worldFromSolve) : *camera);
    }
    std::vector<ProofItem> items;
    std::vector<ProofLight> lights;
    ProofOptions options;
    const PlacedThings placed(shot, frame);
    const double rate = shot.rate().value();
    for (const Thing& t : shot.things) {
        if (!placed.visible(t)) continue;
        const auto at = placed.of(t);
        if (!at) continue;
        if (const auto* own = std::get_if<Light>(&t.kind)) {
            lights.push_back(lightOfThing(*own, *at, t.colourAt(frame), origin));
            continue;
        }
        if (!hasSurface(t.kind)) continue;
        const ProofRole plain, *own = spec.role(t.id), &role = own ? *own : plain;
        if (role.part == ProofPart::away) continue;
        ProofItem item;
        item.id = t.id;
        item.part = role.part;
        item.shape = shapes_.of(t, frame, rate);
        item.colour = t.colourAt(frame);
        if (role.roughness) item.roughness = float(*role.roughness);
        if (role.metalness) item.metalness = float(*role.metalness);
        item.glow = float(role.glow);
        item.shift = float(role.shift);
        item.worldFromShape = {*at};
        if (open > 0 && thingMoves(shot, t)) {
            item.worldFromShape.clear();
            for (const double l : late) item.worldFromShape.push_back(*placeAfter(shot, t, frame, l));
        }
        const auto* card = std::get_if<Card>(&t.kind);
        for (const Material& m : item.shape->shape.materials) {
            const int of = card ? frame - int(std::lround(card->start)) : 0;
            item.pictures.push_back(m.picture.empty() ? nullptr
                                                      : assets().picture(m.picture, of, card && card->after == 1));
        }
        items.push_back(std::move(item));
        options.catchers.resize(items.size());
        options.catchers.back() = lookOf(role.catches);
    }
    if (spec.ground) {
        ProofItem ground;
        ground.part = ProofPart::catcher;
        // As far as to a fifth of a degree below the horizon.
        ground.shape = groundShape(300 * std::max(1e-3, std::fabs(origin.y())) + 10);
        ground.worldFromShape = {{1, Eigen::Quaterniond::Identity(), {origin.x(), 0, origin.z()}}};
        ground.round = false;
        items.push_back(std::move(ground));
        options.catchers.resize(items.size());
        options.catchers.back() = lookOf(spec.groundCatches);
    }
    if (spec.sun.on && spec.sun.strength > 0 && spec.sun.toSun.y() > 0)
        lights.push_back(SunLight{spec.sun.toSun.cast<float>(), float(spec.sun.diameter * degree),
                                  (spec.sun.strength * spec.sun.colour).cast<float>()});
    if (spec.sky.on && spec.sky.strength > 0) {
        SkyLight sky;
        sky.strength = (spec.sky.strength * spec.sky.colour).cast<float>();
        if (!spec.sky.picture.empty()) {
            if (skyFile_ != spec.sky.picture)
                sky_ = SkyPicture::fromFile(spec.sky.picture), skyFile_ = spec.sky.picture;
            sky.picture = sky_;
            sky.pictureFromWorld =
                Eigen::AngleAxisf(float(spec.sky.turn * degree), Eigen::Vector3f::UnitY()).toRotationMatrix();
        }
        lights.push_back(std::move(sky));
    }
    options.seed = hashOf(uint32_t(shot.seed), uint32_t(frame));
    options.bounces = request.bounces;
    options.passes = request.passes;
    const double blur = spec.look.blur >= 0 ? spec.look.blur : std::max(0.0, traits.blur.sigma);
    // A pixel's own square is as blurred as a Gaussian of 0.29 px: less can't be asked for.
    options.filterSigma = blur > 0.3 ? float(blur) : 0;
    if (spec.look.fNumber > 0) {
        const double focalMm = camera->lens().focalPx * shot.priors.sensorWidthMm / shot.plate.width;
        options.aperture = float(focalMm / 1000 / (2 * spec.look.fNumber));
        options.focusDistance = float(spec.look.focusDistance);
    }
    options.haze = float(spec.look.haze);
    options.hazeColour = spec.look.hazeColour.cast<float>();
    if (plate) options.real = plateLight(*plate, shot.plate.encoding, *camera, origin);
    auto scene = std::make_shared<const RayScene>(std::move(items), origin);
    return std::make_unique<ProofRender>(scene, std::move(lights), CameraRays(over, request.area, origin), request.area,
                                         std::move(options));
}

ComposeOptions composeOptionsOf(const Shot& shot, int frame, const PlateTraits& traits, const Plane<float>* front) {
    ComposeOptions o;
    o.look = shot.proof.look;
    if (shot.proof.shadow) o.ambient = shot.proof.shadow->left.cast<float>();
    o.grainSigma = float(shot.proof.look.grain) * traits.grain.sigma;
    o.grainSize = traits.grain.size;
    o.seed = hashOf(uint32_t(frame), 17);
    o.front = front;
    return o;
}

PlateTraits plateTraits(const Shot& shot, int frame, const Luma& luma, const Picture& stored) {
    PlateTraits out;
    out.grain = measureGrain(stored);
    const auto camera = shot.cameraAt(frame);
    std::vector<double> found;
    const PlacedThings placed(shot, frame);
    for (const Thing& t : shot.things) {
        if (!camera || !hasSurface(t.kind)) continue;
        const auto at = placed.of(t);
        const auto px = at ? camera->project(at->translation) : std::nullopt;
        if (!px || px->x() < 0 || px->y() < 0 || px->x() > luma.width || px->y() > luma.height) continue;
        const BlurMeasure m = measureBlur(luma, *px, luma.height / 5.0);
        if (m.edges >= 4) found.push_back(m.sigma), out.blur.edges += m.edges;
    }
    if (found.empty()) {
        out.blur = measureBlur(luma, {luma.width / 2.0, luma.height / 2.0}, luma.width);
        if (out.blur.edges < 4) out.blur = {};
        return out;
    }
    std::sort(found.begin(), found.end());
    out.blur.sigma = found[found.size() / 2];
    return out;
}

ProofFronts::ProofFronts(const Shot& shot)
    : masks_(shot.proof.front.masks, rideMapOf(shot)),
      spec_(shot.proof.front.matte),
      key_(shot.proof.front.key),
      plate_(shot.plate) {
    if (spec_.spec.empty()) return;
    matte_ = openPlate(spec_.spec);
    if (matte_->info().width != plate_.width || matte_->info().height != plate_.height)
        throw InputError(text("The matte \"%s\" is %d × %d px, the plate %d × %d px. Take one of the plate's size.",
                              spec_.spec.c_str(), matte_->info().width, matte_->info().height, plate_.width,
                              plate_.height));
}

Plane<float> ProofFronts::of(int frame, const Picture& stored) {
    Plane<float> out(plate_.width, plate_.height);
    Luma matte;
    if (matte_) {
        const int at = frame + spec_.frameOffset;
        if (!matte_->info().exists(at))
            throw InputError(text("The matte \"%s\" has no picture for frame %d.", spec_.spec.c_str(), frame));
        matte = matte_->luma(at);
    }
    for (int y = 0; y < out.height; ++y)
        for (int x = 0; x < out.width; ++x) {
            float v = 0;
            if (key_.on && x < stored.width && y < stored.height) {
                const float* c = stored.at(x, y);
                v = keyed(key_, {displayValue(c[0], plate_.encoding), displayValue(c[1], plate_.encoding),
                                 displayValue(c[2], plate_.encoding)});
            }
            if (!masks_.empty()) {
                const auto shape = float(masks_.coverage(frame, x, y));
                v = key_.on ? v * shape : shape;
            }
            if (matte_) {
                const float m = matte.at(x, y) / 255;
                v = std::max(v, spec_.invert ? 1 - m : m);
            }
            out.at(x, y) = v;
        }
    return out;
}

SunFit sunOf(const Shot& shot) {
    std::vector<FrameCamera> cameras;
    std::vector<const ShadowPost*> marks;
    for (const ShadowPost& p : shot.proof.posts)
        if (const auto camera = shot.cameraAt(p.frame)) cameras.push_back(*camera), marks.push_back(&p);
    std::vector<SeenPost> posts;
    for (size_t i = 0; i < marks.size(); ++i)
        posts.push_back({&cameras[i], marks[i]->foot, marks[i]->top, marks[i]->tip});
    return sunFromPosts(posts);
}

Shot withSunFromPosts(const Shot& shot) {
    if (shot.proof.posts.empty())
        throw InputError(
            text("No post is marked. Mark the foot of something upright, its top, and the tip of its "
                 "shadow."));
    const SunFit fit = sunOf(shot);
    if (fit.sigmaDegrees < 0) throw InputError(fit.sentence);
    Shot out = shot;
    out.proof.sun.toSun = fit.toSun;
    out.proof.sun.sigmaDegrees = fit.sigmaDegrees;
    return out;
}

Shot withSunFromPlace(const Shot& shot) {
    if (!shot.proof.place)
        throw InputError(text("Place and time are not given. Give latitude, longitude, date, time and zone."));
    const SunPosition sun = sunPosition(*shot.proof.place);
    if (sun.elevation <= 0)
        throw InputError(
            text("There the sun is %.1f° below the horizon at that time. Check the date, the time and its "
                 "zone.",
                 -sun.elevation));
    Shot out = shot;
    out.proof.sun.toSun = sunDirection(sun, shot.proof.north * degree);
    out.proof.sun.sigmaDegrees = -1;
    return out;
}

Shot withNorthFromSun(const Shot& shot) {
    if (!shot.proof.place)
        throw InputError(text("Place and time are not given. Give latitude, longitude, date, time and zone."));
    const SunPosition sun = sunPosition(*shot.proof.place);
    Shot out = shot;
    const Eigen::Vector3d& s = shot.proof.sun.toSun;
    out.proof.north = std::remainder(std::atan2(s.x(), -s.z()) / degree - sun.azimuth, 360.0);
    return out;
}

namespace {

/// The picture's longitude grows clockwise from above, as the world's does.
Shot withSkySpotAt(const Shot& shot, double spotRight, const Eigen::Vector3d& direction) {
    Shot out = shot;
    const double world = std::atan2(direction.x(), -direction.z()), own = (spotRight - 0.5) * 2 * M_PI;
    out.proof.sky.turn = std::remainder((world - own) / degree, 360.0);
    return out;
}

}  // namespace

Shot withSkyTurned(const Shot& shot, const Eigen::Vector2d& spot, int frame, const Eigen::Vector2d& pixel) {
    const auto camera = shot.cameraAt(frame);
    const auto ray = camera ? camera->ray(pixel) : std::nullopt;
    if (!ray) throw InputError(text("Frame %d has no camera: it was not solved.", frame));
    return withSkySpotAt(shot, spot.x(), ray->direction);
}

Shot withSkyToSun(const Shot& shot) {
    if (shot.proof.sky.picture.empty()) throw InputError(text("There is no sky picture. Choose one first."));
    return withSkySpotAt(shot, double(SkyPicture::fromFile(shot.proof.sky.picture)->brightest().x()),
                         shot.proof.sun.toSun);
}

Shot withShadowMeasured(const Shot& shot, int frame, const Picture& stored, const Eigen::Vector2d& lit,
                        const Eigen::Vector2d& shaded) {
    Shot out = shot;
    out.proof.shadow = ShadowMeasure{frame, lit, shaded, shadowLeft(stored, shot.plate.encoding, lit, shaded)};
    return out;
}

Shot withSkyColour(const Shot& shot, const Picture& stored, const Eigen::Vector2d& grey) {
    const Eigen::Vector3d light = spotLight(stored, shot.plate.encoding, grey);
    // ITU-R BT.709, item 3.2.
    const double luma = light.dot(Eigen::Vector3d(0.2126, 0.7152, 0.0722));
    if (!(luma > 1e-4)) throw InputError(text("That spot is black: it has no colour. Pick a grey one in shadow."));
    Shot out = shot;
    out.proof.sky.colour = (light / luma).cwiseMin(100);
    return out;
}

Shot withHazeMeasured(const Shot& shot, int frame, const Picture& stored, const Eigen::Vector2d& near,
                      const Eigen::Vector2d& far) {
    const auto camera = shot.cameraAt(frame);
    if (!camera) throw InputError(text("Frame %d has no camera: it was not solved.", frame));
    const auto distance = [&](const Eigen::Vector2d& spot) {
        const auto place = placeAt(shot, frame, spot);
        if (!place)
            throw InputError(
                text("Nothing is known of how far the spot at %.0f, %.0f is. Pick one on the ground or "
                     "among solved points.",
                     spot.x(), spot.y()));
        return (place->foot - camera->pose().position).norm();
    };
    const HazeMeasure haze = hazeBetween(spotLight(stored, shot.plate.encoding, near), distance(near),
                                         spotLight(stored, shot.plate.encoding, far), distance(far));
    Shot out = shot;
    out.proof.look.haze = std::min(haze.halved, 1e6);
    out.proof.look.hazeColour = haze.colour.cwiseMin(100);
    return out;
}

Thing aimedAt(const Shot& shot, const Thing& light, const Thing& target, int frame) {
    const PlacedThings placed(shot, frame);
    const auto from = placed.of(light), to = placed.of(target);
    if (!from || !to) throw InputError(text("One of both has no place in frame %d.", frame));
    const auto [low, high] = shapeOf(target.kind).bounds();
    const Eigen::Vector3d way = to->point((low + high) / 2) - from->translation;
    if (!(way.norm() > 1e-9)) throw InputError(text("The light stands in the thing itself. Move it away first."));
    // Z along the way, Y as upright as can be.
    const Eigen::Vector3d z = way.normalized();
    const Eigen::Vector3d about = std::fabs(z.y()) > 0.999 ? Eigen::Vector3d::UnitZ() : Eigen::Vector3d::UnitY();
    Eigen::Matrix3d axes;
    axes.col(2) = z;
    axes.col(0) = about.cross(z).normalized();
    axes.col(1) = z.cross(axes.col(0));
    return movedTo(shot, light, {from->scale, Eigen::Quaterniond(axes), from->translation}, frame);
}

}  // namespace va
