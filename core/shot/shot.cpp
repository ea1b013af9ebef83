// SPDX-License-Identifier: GPL-3.0-or-later
#include "shot/shot.h"

#include <algorithm>
#include <cstring>
#include <type_traits>

#include "base/by_id.h"
#include "lens/film_back.h"

namespace va {
namespace {

/// FNV-1a (Fowler, Noll, Vo) over the bytes of plain values.
class Hash {
  public:
    template <class T>
    Hash& add(const T& value) requires std::is_arithmetic_v<T> || std::is_enum_v<T> {
        unsigned char bytes[sizeof(T)];
        std::memcpy(bytes, &value, sizeof(T));
        for (unsigned char b : bytes) state_ = (state_ ^ b) * 1099511628211ull;
        return *this;
    }
    Hash& add(const std::string& text) {
        for (char c : text) add(c);
        return add(text.size());
    }
    Hash& add(const LensModel& l) {
        add(l.kind());
        for (int i = 0; i < l.count(); ++i) add(l.value(i));
        return *this;
    }
    template <int R, int C>
    Hash& add(const Eigen::Matrix<double, R, C>& m) {
        for (Eigen::Index i = 0; i < m.size(); ++i) add(m.data()[i]);
        return *this;
    }
    [[nodiscard]] uint64_t value() const { return state_ == 0 ? 1 : state_; }

  private:
    uint64_t state_ = 14695981039346656037ull;
};

}  // namespace

const Path* Shot::path(int id) const {
    const auto it = std::lower_bound(paths->begin(), paths->end(), id, [](const Path& p, int i) { return p.id < i; });
    return it != paths->end() && it->id == id ? &*it : nullptr;
}

const Thing* Shot::thing(int id) const { return findById(things, id); }
const FlatPatch* Shot::patch(int id) const { return findById(patches, id); }
const MaskShape* Shot::mask(int id) const {
    const MaskShape* m = findById(exclusions.masks, id);
    return m ? m : findById(proof.front.masks, id);
}
const StraightEdge* Shot::straightEdge(int id) const { return findById(edges, id); }
const Mover* Shot::mover(int id) const { return findById(movers, id); }
const CheckPoint* Shot::checkPoint(int id) const { return findById(checkPoints, id); }
const ReferenceStill* Shot::still(int id) const { return findById(stills, id); }

const Mover* Shot::moverOfPath(int pathId) const {
    for (const Mover& m : movers)
        if (std::find(m.paths.begin(), m.paths.end(), pathId) != m.paths.end()) return &m;
    return nullptr;
}

std::vector<int> Shot::frames() const {
    std::vector<int> out;
    for (int f : plate.existing())
        if (range.contains(f)) out.push_back(f);
    return out;
}

std::optional<CameraPose> Shot::worldPose(int frame) const {
    const SolvedFrame* f = solve->at(frame);
    if (!f || !f->solved) return std::nullopt;
    return ground->worldFromSolve.pose(f->pose);
}

std::optional<Intrinsics> Shot::lens() const {
    if (solve->hasLens()) return solve->lens;
    if (!hasPlate() || priors.distortion == Known::unknown) return std::nullopt;
    return givenLens();
}

std::optional<Intrinsics> Shot::lensAt(int frame) const {
    if (solve->hasLens()) return solve->intrinsics(frame);
    return lens();
}

Intrinsics Shot::givenLens() const {
    Intrinsics out;
    out.pixelAspect = pixelAspect();
    out.focalPx = priors.focal != Known::unknown && priors.focalMm > 0
                      ? focalPxFromMm(priors.focalMm, priors.sensorWidthMm, plate.width, pixelAspect())
                      : 1.1 * plate.width * pixelAspect();
    out.principalPoint = Eigen::Vector2d((plate.width - 1) / 2.0, (plate.height - 1) / 2.0) + priors.principalOffset;
    if (priors.distortion != Known::unknown) out.lens = priors.lens;
    return out;
}

std::optional<Eigen::Vector3d> Shot::worldPointOfPath(int pathId) const {
    for (const SolvedPoint& p : solve->points)
        if (p.pathId == pathId) return worldPoint(p);
    return std::nullopt;
}

PhotoEvidence photoEvidenceOf(const Shot& shot) {
    PhotoEvidence e;
    e.width = shot.plate.width;
    e.height = shot.plate.height;
    e.pixelAspect = shot.pixelAspect();
    e.lines = shot.photo.lines;
    e.horizon = shot.photo.horizon;
    e.quad = shot.photo.quad;
    e.spots = shot.photo.spots;
    if (shot.photo.cameraHeight > 0) e.cameraHeight = shot.photo.cameraHeight;
    const Intrinsics given = shot.givenLens();
    e.lens = given.lens;
    e.solveDistortion = shot.priors.distortion == Known::unknown;
    if (!shot.priors.principalOffset.isZero()) e.principalPoint = given.principalPoint;
    if (shot.priors.focal != Known::unknown && shot.priors.focalMm > 0) {
        e.focalPx = given.focalPx;
        // Metadata are rounded, and a lens that is focused near has another focal length than it says.
        e.focalSigma = shot.priors.focal == Known::known ? 0 : 0.02;
    }
    return e;
}

std::vector<KnownLength> setLengths(const Shot& shot) {
    std::vector<KnownLength> out;
    for (const CheckPoint& c : shot.checkPoints) {
        if (!c.on || c.measure.kind != PointTie::Kind::distance || c.measure.paths.size() != 2) continue;
        KnownLength k;
        k.paths = c.measure.paths;
        k.metres = c.measure.length;
        // A hard one is held by the solve itself; it is known to a tenth of a percent at best.
        k.sigma = std::max(c.measure.tolerance, 0.001 * c.measure.length);
        k.name = c.name;
        out.push_back(k);
    }
    return out;
}

uint64_t fingerprintOfTrackInput(const Shot& s) {
    Hash h;
    if (s.overrides.stream) h.add(*s.overrides.stream);
    if (s.overrides.evenTimes) h.add(s.overrides.evenTimes).add(s.rate().num).add(s.rate().den);
    h.add(s.plateSpec).add(s.plate.width).add(s.plate.height).add(s.density).add(s.care);
    if (s.trackUndistorted) {
        const Intrinsics lens = s.givenLens();
        h.add(lens.focalPx).add(lens.principalPoint).add(lens.lens);
    }
    return h.value();
}

uint64_t fingerprintOfSolveInput(const Shot& s) {
    Hash h;
    h.add(s.range.first).add(s.range.last).add(s.plate.width).add(s.plate.height).add(s.pixelAspect()).add(s.seed);
    h.add(s.priors.focal).add(s.priors.distortion);
    if (s.priors.focal != Known::unknown) h.add(s.priors.focalMm).add(s.priors.sensorWidthMm);
    if (s.priors.lens.kind() != LensKind::brownConrady) h.add(s.priors.lens.kind());
    if (s.priors.principal != Known::known || !s.priors.principalOffset.isZero())
        h.add(s.priors.principal).add(s.priors.principalOffset);
    if (s.priors.distortion != Known::unknown) h.add(s.priors.lens);
    if (s.choices != SolveChoices()) h.add(s.choices.move).add(s.choices.zoom);
    if (s.choices.thing) h.add(s.choices.thing);
    if (s.priors.readoutKnown != Known::unknown) h.add(s.priors.readoutKnown).add(s.priors.readout);
    for (const CheckPoint& c : s.checkPoints) {
        if (!c.on || c.measure.paths.empty()) continue;
        h.add(c.measure.kind).add(c.measure.length).add(c.measure.tolerance);
        for (const int id : c.measure.paths) h.add(id);
        for (int i = 0; i < 3; ++i) h.add(c.measure.target[i]).add(c.measure.normal[i]);
    }
    for (const Mover& m : s.movers)
        for (const int id : m.paths) h.add(id);
    if (!s.photo.empty()) {
        for (const PhotoLine& l : s.photo.lines) h.add(l.a).add(l.b).add(l.axis).add(l.sigma);
        if (s.photo.horizon) h.add(s.photo.horizon->a).add(s.photo.horizon->b);
        if (s.photo.quad) {
            for (const auto& c : s.photo.quad->corners) h.add(c);
            h.add(s.photo.quad->width).add(s.photo.quad->depth);
        }
        for (const PhotoSpot& p : s.photo.spots) h.add(p.pixel).add(p.position);
        h.add(s.photo.cameraHeight);
    }
    for (const ReferenceStill& still : s.stills) {
        if (!still.on) continue;
        h.add(still.id).add(still.width).add(still.height).add(still.focalPx.value_or(0));
        for (const StillMark& m : still.marks) h.add(m.path).add(m.pixel).add(m.sigma);
    }
    for (const Path& p : *s.paths) {
        h.add(p.id).add(p.setAside).add(p.points.size());
        for (const PathPoint& q : p.points) h.add(q.frame).add(q.x).add(q.y).add(q.counts());
    }
    return h.value();
}

uint64_t fingerprintOfMoverInput(const Shot& s, const Mover& m) {
    Hash h;
    h.add(s.solveFrom).add(s.solve->lens.focalPx);
    for (const int id : m.paths) {
        h.add(id);
        if (const Path* p = s.path(id)) {
            h.add(p->setAside).add(p->points.size());
            for (const PathPoint& q : p->points) h.add(q.frame).add(q.x).add(q.y).add(q.counts());
        }
    }
    return h.value();
}

uint64_t fingerprintOfExportInput(const Shot& s) {
    Hash h;
    h.add(s.rate().num)
        .add(s.rate().den)
        .add(s.plate.width)
        .add(s.plate.height)
        .add(s.pixelAspect())
        .add(s.priors.sensorWidthMm);
    h.add(s.solve->lens.focalPx).add(s.solve->lens.principalPoint).add(s.solve->lens.lens);
    const Similarity& w = s.ground->worldFromSolve;
    h.add(w.scale).add(w.rotation.coeffs()).add(w.translation).add(s.ground->metric);
    for (const SolvedFrame& f : s.solve->frames)
        h.add(f.frame).add(f.solved).add(f.pose.position).add(f.pose.worldFromCamera.coeffs()).add(f.focalPx);
    for (const SolvedPoint& p : s.solve->points) h.add(p.pathId).add(p.position);
    for (const Mover& m : s.movers)
        h.add(m.id).add(m.name).add(m.scaleBy).add(m.from).add(m.to).add(m.metres).add(m.size).add(m.solveFrom);
    for (const Thing& t : s.things) {
        h.add(t.id).add(t.kind.index()).add(t.name).add(t.position).add(t.rotation.coeffs());
        for (const FieldValue& f : fieldsOf(t.kind)) h.add(f.value);
        for (const TextValue& f : textsOf(t.kind)) h.add(f.value);
        for (const ChoiceValue& f : choicesOf(t.kind)) h.add(f.value);
        h.add(t.scale).add(t.colour).add(t.visible).add(t.hang.on).add(t.hang.id);
        for (const int path : t.hang.paths) h.add(path);
        ThingKeys::each(t.keys, [&h](const char*, const char*, const auto& animated) {
            h.add(animated.before).add(animated.after);
            for (const auto& k : animated.keys) h.add(k.frame).add(k.value).add(k.between);
        });
    }
    return h.value();
}

}  // namespace va
