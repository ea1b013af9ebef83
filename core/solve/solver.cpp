// SPDX-License-Identifier: GPL-3.0-or-later
#include "solve/solver.h"

#include <Eigen/Eigenvalues>
#include <Eigen/SVD>
#include <algorithm>
#include <chrono>
#include <cmath>
#include <map>
#include <memory>
#include <set>

#include "base/error.h"
#include "base/parallel.h"
#include "lens/convert_lens.h"
#include "solve/check_error.h"
#include "solve/keyframes.h"
#include "solve/model_choice.h"
#include "solve/reconstruction.h"

namespace va {
namespace {

/// One solve from paths to result; the members are the state that the steps hand on.
class Solver {
  public:
    Solver(const std::vector<Path>& paths, const SolveRequest& request, Progress& progress)
        : paths_(paths),
          request_(request),
          progress_(progress),
          sightings_(
              layOut(paths, request.frames, request.width, request.height, request.heldBackShare, request.seed)) {
        if (request.fewPaths) sightings_.fewest = {8, 7, 6};
        // A point with a known place has to be in the solve.
        for (int p = 0; p < sightings_.pathCount(); ++p)
            if (measured(p)) sightings_.heldBack[size_t(p)] = 0;
        lens_.pixelAspect = request.pixelAspect;
        lens_.principalPoint =
            Eigen::Vector2d((request.width - 1) / 2.0, (request.height - 1) / 2.0) + request.principalOffset;
        lens_.lens = request.distortion == Known::unknown ? LensModel(request.lens.kind()) : request.lens;
        // 1.1 widths: about 49° across, the middle of what lenses do.
        lens_.focalPx = request.focal == Known::unknown ? 1.1 * request.width * request.pixelAspect : request.focalPx;
        cancelled_ = [this] { return progress_.cancelled(); };
    }

    SolveResult run() {
        const auto start = std::chrono::steady_clock::now();
        progress_.stage("Choosing the kind of move", 0, 0.1);
        solve();
        progress_.check();
        result_.solveSeconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
        return std::move(result_);
    }

    SolveResult update(const SolveResult& from) {
        const auto start = std::chrono::steady_clock::now();
        progress_.stage("Bringing the solve up to date", 0, 0.1);
        // The check error stays that of the same paths.
        const std::set<int> held(from.heldBack.begin(), from.heldBack.end());
        if (!held.empty())
            for (int p = 0; p < sightings_.pathCount(); ++p)
                sightings_.heldBack[size_t(p)] = held.contains(sightings_.pathIds[size_t(p)]) && !measured(p);
        if (!resume(from)) solve();
        progress_.check();
        result_.solveSeconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
        return std::move(result_);
    }

  private:
    [[nodiscard]] bool measured(int path) const {
        const int id = sightings_.pathIds[size_t(path)];
        return std::any_of(request_.measures.begin(), request_.measures.end(), [id](const KnownMeasure& m) {
            return std::find(m.paths.begin(), m.paths.end(), id) != m.paths.end();
        });
    }

    void solve() {
        for (int f : request_.frames) result_.frames.emplace_back().frame = f;
        keyframes_ = chooseKeyframes(sightings_);
        if (keyframes_.size() < 2) {
            const bool anywhere =
                std::any_of(sightings_.byFrame.begin(), sightings_.byFrame.end(),
                            [this](const auto& f) { return int(f.size()) >= sightings_.fewest.seen; });
            result_.trouble =
                request_.frames.size() < 2 || anywhere ? SolveTrouble::tooFewFrames : SolveTrouble::tooFewPaths;
            return;
        }
        pairs_ = rankStartPairs(sightings_, keyframes_, request_.seed);
        if (picturesAreFlat())
            // No pair of a flat scene has parallax against a homography: the longest moves are what there is.
            std::stable_sort(pairs_.begin(), pairs_.end(), [this](const StartPair& a, const StartPair& b) {
                return medianMove(sightings_, a.a, a.b) * a.shared > medianMove(sightings_, b.a, b.b) * b.shared;
            });
        if (!pairs_.empty())
            result_.parallaxPx = std::max_element(pairs_.begin(), pairs_.end(), [](auto& a, auto& b) {
                                     return a.parallax < b.parallax;
                                 })->parallax;
        MotionEvidence evidence;
        if (noTurnExplainsPictures()) evidence.motion = Motion::free;
        else
            evidence = chooseMotion(sightings_, keyframes_, lens_, lensValues(), priors(), request_.seed,
                                    mayZoom() && picturesAreFlat(), rows());
        result_.rotationRmsPx = evidence.rotation.found ? evidence.rotation.robustRmsPx : -1;
        switch (request_.move) {
            case MoveChoice::automatic: break;
            case MoveChoice::free: evidence.motion = Motion::free; break;
            case MoveChoice::rotation: evidence.motion = Motion::rotation; break;
            case MoveChoice::fixed: evidence.motion = Motion::fixed; break;
        }
        if (evidence.motion == Motion::rotation && !evidence.rotation.found)
            evidence.rotation = solveRotationOnly(sightings_, keyframes_, lens_, lensValues(), priors(), request_.seed,
                                                  request_.zoom == ZoomChoice::zooms);
        if (evidence.motion == Motion::fixed) return takeFixed();
        if (evidence.motion == Motion::rotation && evidence.rotation.found)
            return takeRotation(evidence.rotation, sightings_);
        progress_.check();
        solveFree();
        if (request_.move == MoveChoice::automatic) doubtTravel();
    }

    /// A large thing that moves by itself makes a turn look like more than a turn, and the free camera that is then
    /// found does not believe that thing either: what it does not believe can't speak for it.
    void doubtTravel() {
        if (result_.motion != Motion::free) return;
        std::set<int> disbelieved;
        for (const SolveOutlier& o : result_.outliers)
            if (o.whole) disbelieved.insert(o.pathId);
        if (disbelieved.size() * 6 < result_.points.size() + disbelieved.size()) return;
        Sightings believed = sightings_;
        for (size_t p = 0; p < believed.pathIds.size(); ++p)
            if (disbelieved.contains(believed.pathIds[p])) believed.heldBack[p] = 1;
        keyframes_ = chooseKeyframes(sightings_);
        const MotionEvidence evidence = chooseMotion(believed, keyframes_, lens_, lensValues(), priors(), request_.seed,
                                                     mayZoom() && picturesAreFlat(), rows());
        if (evidence.motion != Motion::rotation || !evidence.rotation.found) return;
        SolveResult turning;
        turning.parallaxPx = result_.parallaxPx;
        for (int f : request_.frames) turning.frames.emplace_back().frame = f;
        result_ = std::move(turning);
        takeRotation(evidence.rotation, believed);
    }

    /// Angle between rays that places a point: as usual, or less where the shot has less parallax to give.
    [[nodiscard]] double angle(double usual) const {
        return std::clamp(0.4 * result_.parallaxPx / lens_.focalPx, 0.0007, usual);
    }

    [[nodiscard]] bool mayZoom() const {
        return request_.zoom == ZoomChoice::zooms ||
               (request_.zoom == ZoomChoice::automatic && request_.focal != Known::known);
    }

    /// Whether most pictures are images of each other by a homography: a turn, a zoom, a flat scene, or a far one.
    [[nodiscard]] bool picturesAreFlat() const {
        std::vector<double> shares;
        for (const StartPair& p : pairs_) shares.push_back(p.homographyShare);
        return median(std::move(shares)) > 0.8;
    }

    /// Whether even the pairs that a homography explains best are far from being images of each other by one, and by
    /// more than a lens bends pictures: then no turn does, with any lens, and none has to be tried.
    [[nodiscard]] bool noTurnExplainsPictures() const {
        std::vector<double> shares, parallaxes;
        for (const StartPair& p : pairs_) shares.push_back(p.homographyShare), parallaxes.push_back(p.parallax);
        if (shares.size() < 8 || median(std::move(parallaxes)) < 0.03 * request_.width) return false;
        const auto upper = shares.begin() + std::ptrdiff_t(shares.size() * 3 / 4);
        std::nth_element(shares.begin(), upper, shares.end());
        return *upper < 0.4;
    }

    /// Of the lens model: what footage can tell.
    [[nodiscard]] std::vector<int> solvedNumbers() const {
        switch (lens_.lens.kind()) {
            case LensKind::division: return {0};
            case LensKind::anamorphic: return {2, 3, 7, 8};
            default: return {0, 1};
        }
    }

    [[nodiscard]] bool bendIsSolved() const { return request_.distortion != Known::known && result_.bendRefusedPx < 0; }

    [[nodiscard]] std::vector<LensValue> lensValues() const {
        std::vector<LensValue> out;
        if (request_.focal != Known::known) out.push_back(LensValue::focal);
        if (request_.principal != Known::known)
            out.push_back(LensValue::principalX), out.push_back(LensValue::principalY);
        if (bendIsSolved())
            for (const int i : solvedNumbers()) out.push_back(lensValueAt(i));
        return out;
    }

    /// Weak opinions that only count where the paths are silent: they keep a short shot from an absurd lens.
    [[nodiscard]] std::vector<BundleOptions::Prior> priors() const {
        std::vector<BundleOptions::Prior> out;
        if (request_.focal == Known::unknown) out.push_back({0, LensValue::focal, lens_.focalPx, 1.0});
        if (request_.focal == Known::start) out.push_back({0, LensValue::focal, request_.focalPx, 0.1});
        if (request_.principal != Known::known) {
            // Lenses sit within a percent or two of the middle.
            const double sigma = (request_.principal == Known::start ? 0.005 : 0.02) * request_.width;
            out.push_back({0, LensValue::principalX, lens_.principalPoint.x(), sigma});
            out.push_back({0, LensValue::principalY, lens_.principalPoint.y(), sigma});
        }
        if (bendIsSolved()) {
            // Where the focal length is unknown, a bend's numbers are only known for the one that was assumed.
            const bool sure = request_.distortion == Known::start && request_.focal != Known::unknown;
            const double sigma = sure ? 0.05 : 0.2;
            for (const int i : solvedNumbers()) out.push_back({0, lensValueAt(i), lens_.lens.value(i), sigma});
        }
        return out;
    }

    // ---- free moves ---------------------------------------------------------------------------------------------

    void solveFree() {
        auto best = request_.zoom == ZoomChoice::zooms ? nullptr : grow(false);
        if (mayZoom() && (!best || explainsBadly(*best))) {
            // A zoom that is solved with one focal length tears the solve apart, or makes a move of it.
            auto zooming = grow(true);
            if (zooming && (!best || cost(*zooming) < 0.8 * cost(*best))) best = std::move(zooming);
        } else if (best && mayZoom() && request_.zoom == ZoomChoice::automatic) {
            if (auto zooming = zoomOf(*best)) best = std::move(zooming);
        }
        if (request_.focal == Known::known && request_.focalByFrame.empty() && (!best || explainsBadly(*best)))
            askWithoutFocal(best ? cost(*best) : 9);
        if (!best) {
            result_.trouble = pairs_.empty() ? SolveTrouble::tooFewPaths : SolveTrouble::noStart;
            return;
        }
        finishFree(*best);
    }

    /// What comes after all frames hang together.
    void finishFree(Reconstruction& r) {
        readRows(r);
        weighBend(r);
        lookAtMirror(r);
        askForFocal(r);
        obeyMeasures(r);
        takeFree(r);
    }

    /// Seen from far away, a scene and its mirror image in depth look nearly alike (Koenderink & van Doorn 1991): where
    /// there is little depth over the distance the other one is tried, and taken where it fits better.
    void lookAtMirror(Reconstruction& r) {
        if (r.zooms() || r.depthSpread() > 0.15) return;
        Reconstruction other = r;
        other.mirror();
        for (int round = 0; round < 2; ++round) {
            progress_.check();
            other.refine(lensValues(), priors(), 20, 1e-5, cancelled_);
            other.judge(6);
            other.addPoints(angle(0.005));
        }
        // The same points have to be explained, and the other image has to have stayed one.
        if (other.pointCount() * 10 < r.pointCount() * 9 || !other.mirrorOf(r)) return;
        const double here = cost(r), there = cost(other);
        if (there < here) {
            other.judge(4.5);
            other.refine(lensValues(), priors(), 12, 1e-5, cancelled_);
            std::swap(r, other);
        }
        if (std::min(here, there) > 0.8 * std::max(here, there)) result_.mirrorRmsPx = fitOf(other);
    }

    /// Whether the paths contradict a known focal length; what they would ask for is then found by a solve without it,
    /// since the sightings that are left were chosen by the wrong one.
    void askForFocal(const Reconstruction& r) {
        if (request_.focal != Known::known || r.zooms()) return;
        Reconstruction free = r;
        std::vector<LensValue> values = lensValues();
        values.insert(values.begin(), LensValue::focal);
        free.refine(values, priors(), 25, 1e-5, cancelled_);
        const double share = free.lens().focalPx / r.lens().focalPx, fit = fitOf(free);
        if (std::fabs(std::log(share)) > 0.05 && fit < 0.85 * fitOf(r)) askWithoutFocal(9);
    }

    /// From where an earlier solve stood. False when too little of it is left.
    bool resume(const SolveResult& from) {
        if (from.motion != Motion::free || from.lens.lens.kind() != lens_.lens.kind()) return false;
        if (request_.move != MoveChoice::automatic && request_.move != MoveChoice::free) return false;
        if (request_.zoom != ZoomChoice::automatic && (request_.zoom == ZoomChoice::zooms) != from.zooms) return false;
        for (int f : request_.frames) result_.frames.emplace_back().frame = f;
        Intrinsics lens = lens_;
        if (request_.focal != Known::known) lens.focalPx = from.lens.focalPx;
        if (request_.principal != Known::known) lens.principalPoint = from.lens.principalPoint;
        // A bend that was refused is no longer asked for.
        result_.bendRefusedPx = from.bendRefusedPx;
        if (request_.distortion != Known::known) lens.lens = from.lens.lens;
        auto r = std::make_unique<Reconstruction>(sightings_, lens, from.zooms);
        if (!request_.focalByFrame.empty()) r->holdFocals(request_.focalByFrame);
        for (int f = 0; f < sightings_.frameCount(); ++f)
            if (const SolvedFrame* had = from.at(sightings_.frames[size_t(f)]); had && had->solved)
                if (had->origin == PoseOrigin::solved || had->before)
                    r->resume(f, viewFromPose(had->before ? *had->before : had->pose), had->focalPx);
        std::map<int, const SolvedPoint*> points;
        for (const SolvedPoint& p : from.points)
            if (!p.heldBack) points[p.pathId] = &p;
        int kept = 0;
        for (int p = 0; p < sightings_.pathCount(); ++p) {
            const auto at = points.find(sightings_.pathIds[size_t(p)]);
            const auto [begin, end] = sightings_.ofPath[size_t(p)];
            if (at == points.end() || sightings_.heldBack[size_t(p)]) continue;
            // The path may have grown, or be one of several stretches that were measured against other references.
            const FrameRange had = at->second->stretch;
            const int first = sightings_.frames[size_t(sightings_.all[size_t(begin)].frame)],
                      last = sightings_.frames[size_t(sightings_.all[size_t(end) - 1].frame)];
            if (2 * FrameRange{std::max(first, had.first), std::min(last, had.last)}.count() <
                std::min(had.count(), last - first + 1))
                continue;
            r->resumePoint(p, at->second->position);
            ++kept;
        }
        if (kept < sightings_.fewest.placed || r->solvedFrames() < 2) {
            result_ = {};
            return false;
        }
        from_ = &from;
        result_.parallaxPx = from.parallaxPx;
        result_.rotationRmsPx = from.rotationRmsPx;
        r->setReadout(request_.readoutKnown == Known::known ? request_.readout : from.readout,
                      request_.readoutKnown != Known::known);
        r->judge(6);
        r->addPoints(angle(0.005));
        if (r->solvedFrames() < sightings_.frameCount()) fillBetween(*r);
        r->weighPaths();
        r->judge(4.5);
        progress_.check();
        r->refine(lensValues(), priors(), 6, 1e-4, cancelled_);
        r->weighPaths();
        r->setAsideSliding(3.5, slideNever());
        r->judge(4.5);
        r->addPoints(angle(0.005));
        progress_.check();
        r->refine(lensValues(), priors(), 10, 1e-5, cancelled_);
        r->judge(4.5);
        settleZoom(*r);
        lookAtMirror(*r);
        if (bendIsSolved() || !lensValues().empty()) weighBend(*r);
        obeyMeasures(*r);
        takeFree(*r);
        return true;
    }

    [[nodiscard]] double slideNever() const { return 0.4 * std::max(1.0, request_.width / 1280.0); }

    [[nodiscard]] RowReading rows() const {
        return {request_.readoutKnown != Known::known, request_.readoutKnown == Known::unknown ? 0 : request_.readout};
    }

    /// Rows that are read one after the other: solved last, when the camera's own motion is known.
    void readRows(Reconstruction& r) {
        if (!rows().matters()) return;
        r.setReadout(rows().readout, rows().solves);
        for (int round = 0; round < 4; ++round) {
            progress_.check();
            r.refine(lensValues(), priors(), 12, 1e-5, cancelled_);
            r.weighPaths();
            r.judge(4.5);
            r.addPoints(angle(0.005));
        }
    }

    /// Check points: the world that they ask for is laid over the solve, and all is refined with them.
    void obeyMeasures(Reconstruction& r) {
        if (request_.measures.empty()) return;
        std::map<int, int> groupOf;  // by path id: the stretch with most sightings
        for (int p = 0; p < sightings_.pathCount(); ++p) {
            if (!r.points()[size_t(p)]) continue;
            const auto length = [&](int g) {
                return sightings_.ofPath[size_t(g)].second - sightings_.ofPath[size_t(g)].first;
            };
            const auto [at, fresh] = groupOf.emplace(sightings_.pathIds[size_t(p)], p);
            if (!fresh && length(p) > length(at->second)) at->second = p;
        }
        const PlaceOfPath place = [&](int id) -> std::optional<Eigen::Vector3d> {
            const auto at = groupOf.find(id);
            return at == groupOf.end() ? std::nullopt : r.points()[size_t(at->second)];
        };
        std::vector<double> depths;
        for (int f = 0; f < sightings_.frameCount(); ++f)
            for (const int i : r.hasView(f) ? sightings_.byFrame[size_t(f)] : std::vector<int>())
                if (const auto& p = r.points()[size_t(sightings_.all[size_t(i)].path)])
                    depths.push_back(r.views()[size_t(f)]->toCamera(*p).z());
        const double depth = std::max(1e-9, median(std::move(depths)));
        result_.freeRmsPx = fitOf(r);
        for (int round = 0; round < 2; ++round) {
            progress_.check();
            const MeasuredWorld world = measuredWorld(request_.measures, place);
            std::vector<PointTie> ties = tiesFor(request_.measures, world, place, depth);
            if (ties.empty()) break;
            for (PointTie& t : ties)
                for (int& id : t.points) id = groupOf.at(id);
            r.setTies(std::move(ties), world.placed);
            r.refine(lensValues(), priors(), 25, 1e-6, cancelled_);
            // A point that is held to its place may disagree with its sightings: that is for the report to say.
        }
        result_.measured = measuredWorld(request_.measures, place);
        result_.reports = reportOn(request_.measures, result_.measured, place);
    }

    /// Root mean square over the sightings in use, px.
    [[nodiscard]] double fitOf(const Reconstruction& r) const {
        double sum = 0;
        int count = 0;
        for (const PathSighting& s : r.sightings().all)
            if (const auto e = s.use && !sightings_.heldBack[size_t(s.path)] ? r.residual(s) : std::nullopt)
                sum += e->squaredNorm(), ++count;
        return count > 0 ? std::sqrt(sum / count) : 0;
    }

    /// Where a solve with the known focal length fails: does one that finds it succeed?
    void askWithoutFocal(double had) {
        SolveRequest open = request_;
        open.focal = Known::unknown;
        open.measures.clear();
        open.zoom = ZoomChoice::constant;
        open.move = MoveChoice::free;
        Solver other(paths_, open, progress_);
        other.solve();
        const SolveResult& found = other.result_;
        if (found.motion != Motion::free || found.solvedCount() < sightings_.frameCount()) return;
        if (found.rmsPx * found.rmsPx * 2 * 9 > 0.7 * had) return;
        result_.askedFocalPx = found.lens.focalPx;
        result_.askedRmsPx = found.rmsPx;
    }

    /// Mean truncated cost over all frames: those that were not reached count as wrong.
    [[nodiscard]] double cost(const Reconstruction& r) const {
        const double share = double(r.solvedFrames()) / sightings_.frameCount();
        return share * r.truncatedCost() + (1 - share) * 9;
    }

    /// Frames out of reach, or more than a third of the sightings wrong.
    [[nodiscard]] bool explainsBadly(const Reconstruction& r) const {
        return r.solvedFrames() < sightings_.frameCount() || r.truncatedCost() > 3;
    }

    /// From a solve with one focal length to one with a focal length a frame, if that explains notably more.
    std::unique_ptr<Reconstruction> zoomOf(const Reconstruction& steady) {
        auto r = std::make_unique<Reconstruction>(steady);
        r->setZooms(true);
        const int every = std::max(1, sightings_.frameCount() / 25);
        r->refine(lensValues(), priors(), 6, 1e-4, cancelled_, every);
        double low = INFINITY, high = 0;
        for (int f = 0; f < sightings_.frameCount(); ++f)
            if (r->hasView(f)) low = std::min(low, r->lensOf(f).focalPx), high = std::max(high, r->lensOf(f).focalPx);
        // Less is the breathing that correlated errors bring about.
        if (!(high > 1.015 * low)) return nullptr;
        refineAll(*r);
        return cost(*r) < 0.93 * cost(steady) ? std::move(r) : nullptr;
    }

    std::unique_ptr<Reconstruction> grow(bool zooms) {
        progress_.stage("Finding a first camera", 0, 0.1);
        gaveUp_.clear();
        // A zoom changes the picture between keyframes that a steady lens would leave far apart.
        keyframes_ = zooms ? chooseKeyframes(sightings_, 1 / 70.0) : chooseKeyframes(sightings_);
        auto starts = findStarts(zooms);
        if (starts.empty()) return nullptr;
        progress_.stage("Growing the solve", sightings_.frameCount(), 0.1);
        progress_.advance(starts.front()->solvedFrames());
        // A zoom around a subject that stays in the middle leaves the focal lengths nearly free: from a few frames
        // several answers look alike, and all frames have to tell them apart.
        std::unique_ptr<Reconstruction> best;
        for (auto& start : starts) {
            gaveUp_.clear();
            growOverKeyframes(*start);
            if (!best || cost(*start) < cost(*best)) best = std::move(start);
        }
        fillBetween(*best);
        progress_.stage("Refining the solve", 4, 0.15);
        refineAll(*best);
        return best;
    }

    /// Says how sure the lens's numbers are. A bend that the frames do not tell is taken as given, or as none, and the
    /// rest settles around it: a solved one would be fitted to noise, and bend the camera's path with it.
    void weighBend(Reconstruction& r) {
        auto values = lensValues();
        if (values.empty()) return;
        auto covariance = r.lensCovariance(values);
        if (bendIsSolved()) {
            const Intrinsics& lens = r.lens();
            const double sigma = covariance ? bendSigma(lens, values, *covariance) : 1e9;
            const bool folds = !lens.normalisedFromPixel({0, 0}) || !lens.normalisedFromPixel(lastPixel());
            // Not told to a third of itself, and wrong by what would be seen.
            const double seen = 0.5 * std::max(1.0, request_.width / 1280.0);
            const double size = std::max(largestBendPx(lens, request_.width, request_.height) / 3, seen);
            if (folds || sigma > size) {
                result_.bendRefusedPx = folds ? 1e9 : sigma;
                r.holdBend(bendForFocal(lens_.lens, lens.focalPx / lens_.focalPx));
                values = lensValues();
                for (int round = 0; round < 2; ++round) {
                    progress_.check();
                    r.refine(values, priors(), 15, 1e-5, cancelled_);
                    r.judge(4.5);
                    r.addPoints(angle(0.005));
                }
                covariance = r.lensCovariance(values);
            }
        }
        if (!covariance || values.empty()) return;
        const Eigen::VectorXd more = r.disagreement(values, *covariance);
        disagreement_ = std::max(1.0, std::sqrt(more.squaredNorm() / double(more.size())));
        const Eigen::VectorXd scale = more.cwiseMax(1);
        covariance = scale.asDiagonal() * *covariance * scale.asDiagonal();
        result_.lensNumbers = lensNumbers(r.lens(), values, *covariance);
        if (bendIsSolved()) result_.lensMapSigmaPx = bendSigma(r.lens(), values, *covariance);
    }

    [[nodiscard]] Eigen::Vector2d lastPixel() const { return {request_.width - 1.0, request_.height - 1.0}; }

    [[nodiscard]] double bendSigma(const Intrinsics& lens, const std::vector<LensValue>& values,
                                   const Eigen::MatrixXd& covariance) const {
        return mapSigmaPx(lens, request_.width, request_.height, values, covariance);
    }

    /// Tries focal lengths on the best start pairs, each grown over a few keyframes, and keeps the one that explains
    /// most.
    /// With a zoom all starts of different focal lengths are given, best first; else the best alone.
    std::vector<std::unique_ptr<Reconstruction>> findStarts(bool zooms) {
        std::vector<double> focals{lens_.focalPx};
        if (request_.focal == Known::unknown)
            focals = {lens_.focalPx * 0.65, lens_.focalPx, lens_.focalPx * 1.6, lens_.focalPx * 2.6};
        struct Try {
            StartPair pair;
            double focal;
            int plane;
            std::unique_ptr<Reconstruction> r;
            double cost = 9;
        };
        std::vector<Try> tries;
        for (size_t p = 0; p < std::min<size_t>(2, pairs_.size()); ++p)
            for (double f : focals)
                // A flat scene's pair has two readings; which is right the frames after tell.
                for (int plane = -1; plane < (pairs_[p].homographyShare > 0.8 && !zooms ? 2 : 0); ++plane)
                    tries.push_back({pairs_[p], f, plane, nullptr, 9});
        parallelRanges(int(tries.size()), 1, [&](int begin, int end) {
            for (int i = begin; i < end; ++i) {
                if (progress_.cancelled()) return;
                Try& t = tries[size_t(i)];
                Intrinsics lens = lens_;
                // A start value of the bend was found in the picture, for the focal length that was assumed.
                lens.lens = bendForFocal(lens_.lens, t.focal / lens_.focalPx);
                lens.focalPx = t.focal;
                auto r = std::make_unique<Reconstruction>(sightings_, lens, zooms);
                if (!request_.focalByFrame.empty()) r->holdFocals(request_.focalByFrame);
                if (!r->begin(t.pair.a, t.pair.b, request_.seed, angle(0.003), t.plane)) continue;
                if (!settleStart(*r, t.pair)) continue;
                // A pair alone fits nearly anything: frames that could not be hung on it count against it.
                const int wanted = 2 + std::min(6, int(keyframes_.size()) - 2),
                          has = std::min(wanted, r->solvedFrames());
                t.cost = (r->truncatedCost() * has + 3.0 * (wanted - has)) / wanted;
                t.r = std::move(r);
            }
        });
        progress_.check();
        std::erase_if(tries, [](const Try& t) { return !t.r; });
        std::stable_sort(tries.begin(), tries.end(), [](const Try& a, const Try& b) { return a.cost < b.cost; });
        std::vector<std::unique_ptr<Reconstruction>> out;
        for (Try& t : tries) {
            const double focal = t.r->lens().focalPx;
            const bool alike = std::any_of(out.begin(), out.end(), [&](const auto& r) {
                return std::fabs(std::log(r->lens().focalPx / focal)) < 0.05;
            });
            if (out.empty() || (zooms && !alike && out.size() < 4)) out.push_back(std::move(t.r));
        }
        return out;
    }

    /// Grows a start over the keyframes around its pair and lets focal length and lens settle.
    bool settleStart(Reconstruction& r, const StartPair& pair) const {
        r.refine({}, {}, 10, 1e-3, cancelled_);
        std::vector<int> around;
        for (int k : keyframes_)
            if (!r.hasView(k)) around.push_back(k);
        const int middle = (pair.a + pair.b) / 2;
        std::stable_sort(around.begin(), around.end(),
                         [&](int x, int y) { return std::abs(x - middle) < std::abs(y - middle); });
        if (around.size() > 6) around.resize(6);
        for (int k : around) {
            r.addFrame(k, request_.seed);
            if (r.zooms()) r.refine({LensValue::focal}, priors(), 6, 1e-3, cancelled_);
        }
        if (request_.focal == Known::unknown) r.refine({LensValue::focal}, priors(), 25, 1e-4, cancelled_);
        if (r.zooms()) r.refine({LensValue::focal}, priors(), 25, 1e-4, cancelled_);
        r.addPoints(angle(0.02));
        for (int k : around)
            if (!r.hasView(k)) r.addFrame(k, request_.seed);
        r.refine(lensValues(), priors(), 25, 1e-4, cancelled_);
        r.judge(5);
        r.addPoints(angle(0.02));
        r.refine(lensValues(), priors(), 25, 1e-4, cancelled_);
        return r.lens().focalPx > 0.2 * request_.width && r.lens().focalPx < 30.0 * request_.width &&
               r.pointCount() >= sightings_.fewest.placed;
    }

    void growOverKeyframes(Reconstruction& r) {
        int sinceRefined = 0;
        while (true) {
            progress_.check();
            int next = -1, most = sightings_.fewest.seen - 1;
            for (int k : keyframes_) {
                if (r.hasView(k) || gaveUp_.contains(k)) continue;
                const int placed = r.placedIn(k);
                if (placed > most) most = placed, next = k;
            }
            if (next < 0) break;
            if (!r.addFrame(next, request_.seed)) {
                gaveUp_.insert(next);
                continue;
            }
            progress_.advance();
            r.addPoints(angle(0.02));
            // Errors grow with the number of frames hung on without a bundle.
            if (++sinceRefined >= std::max(3, r.solvedFrames() / 5)) {
                r.refine(lensValues(), priors(), 10, 1e-4, cancelled_);
                r.judge(6);
                sinceRefined = 0;
                gaveUp_.clear();
            }
        }
        r.refine(lensValues(), priors(), 20, 1e-5, cancelled_);
        r.judge(5);
        r.addPoints(angle(0.01));
        r.refine(lensValues(), priors(), 20, 1e-5, cancelled_);
    }

    /// Hangs the frames between keyframes on their neighbours, near to far.
    void fillBetween(Reconstruction& r) {
        bool grown = true;
        while (grown) {
            grown = false;
            for (int pass = 0; pass < 2; ++pass) {
                for (int i = 0; i < sightings_.frameCount(); ++i) {
                    const int f = pass == 0 ? i : sightings_.frameCount() - 1 - i,
                              neighbour = pass == 0 ? f - 1 : f + 1;
                    if (r.hasView(f) || neighbour < 0 || neighbour >= sightings_.frameCount() || !r.hasView(neighbour))
                        continue;
                    progress_.check();
                    const View near = *r.views()[size_t(neighbour)];
                    if (r.addFrame(f, request_.seed, &near)) {
                        grown = true;
                        progress_.advance();
                    }
                }
            }
            if (grown && r.solvedFrames() < sightings_.frameCount()) grown = r.addPoints(angle(0.01)) > 0;
        }
        r.addPoints(angle(0.005));
    }

    /// Weighing and judging settle on a selection of frames, which is quick; then all frames hang on that, and are
    /// bundled once.
    void refineAll(Reconstruction& r) {
        r.judge(6);
        const int every = std::max(1, sightings_.frameCount() / 40);
        for (int round = 0; round < 3; ++round) {
            progress_.check();
            r.refine(lensValues(), priors(), 12, 1e-4, cancelled_, every);
            r.hangFrames();
            r.weighPaths();
            r.judge(4.5);
            r.addPoints(angle(0.005));
            progress_.advance();
        }
        r.setAsideSliding(3.5, slideNever());
        r.refine(lensValues(), priors(), 12, 1e-5, cancelled_);
        r.judge(4.5);
        settleZoom(r);
        progress_.advance();
    }

    /// Weights that were found with other focal lengths are not yet right: those and depths go on along their valley
    /// until both agree.
    void settleZoom(Reconstruction& r) {
        double had = 0;
        for (int round = 0; r.zooms() && round < 4 && std::fabs(std::log(r.lens().focalPx / had)) > 2e-4; ++round) {
            progress_.check();
            had = r.lens().focalPx;
            r.weighPaths();
            r.judge(4.5);
            r.addPoints(angle(0.005));
            r.refine(lensValues(), priors(), 12, 1e-5, cancelled_);
            r.judge(4.5);
        }
    }

    void takeFree(const Reconstruction& r) {
        result_.motion = Motion::free;
        result_.lens = r.lens();
        result_.zooms = r.zooms();
        result_.errorsTogether = disagreement_ * r.errorsTogether();
        std::vector<double> depths;
        int anchor = -1, common = -1;
        for (int f = 0; f < sightings_.frameCount(); ++f) {
            if (!r.hasView(f)) continue;
            if (anchor < 0) anchor = f;
            const SolvedFrame* had = from_ ? from_->at(sightings_.frames[size_t(f)]) : nullptr;
            if (common < 0 && had && had->solved && had->origin == PoseOrigin::solved) common = f;
            for (int i : sightings_.byFrame[size_t(f)])
                if (const auto& p = r.points()[size_t(sightings_.all[size_t(i)].path)])
                    depths.push_back(r.views()[size_t(f)]->toCamera(*p).z());
        }
        if (common >= 0) anchor = common;
        const View base = *r.views()[size_t(anchor)];
        double scale = 10.0 / std::max(1e-12, median(depths));
        // From the solve's vision world to ours: the anchor camera's axes, half a turn around x, ten units to the
        // middle of things.
        const CameraPose basePose = poseFromView(base);
        CameraPose anchorPose;  // of the anchor in the result
        if (from_) {
            // The world that things were laid out in stays.
            anchorPose = basePose;
            scale = 1;
            if (common >= 0) {
                anchorPose = from_->at(sightings_.frames[size_t(anchor)])->pose;
                scale = scaleOnto(*from_, r, basePose, anchorPose);
            }
        }
        const Eigen::Quaterniond turn = anchorPose.worldFromCamera * basePose.worldFromCamera.conjugate();
        const auto place = [&](const Eigen::Vector3d& x) -> Eigen::Vector3d {
            return anchorPose.position + scale * (turn * (x - basePose.position));
        };
        if (result_.measured.scaled) {
            // What was found for the reconstruction's own space.
            const Similarity onto{scale, turn, place(Eigen::Vector3d::Zero())};
            result_.measured.fromSolve = result_.measured.fromSolve.after(onto.inverse());
        }
        double sum = 0;
        int count = 0;
        for (int f = 0; f < sightings_.frameCount(); ++f) {
            SolvedFrame& out = result_.frames[size_t(f)];
            if (!r.hasView(f)) continue;
            const CameraPose pose = poseFromView(*r.views()[size_t(f)]);
            out.solved = true;
            out.pose.position = place(pose.position);
            out.pose.worldFromCamera = (turn * pose.worldFromCamera).normalized();
            out.focalPx = r.lensOf(f).focalPx;
            double frameSum = 0;
            for (int i : sightings_.byFrame[size_t(f)]) {
                const PathSighting& s = r.sightings().all[size_t(i)];
                const auto e = s.use && !sightings_.heldBack[size_t(s.path)] ? r.residual(s) : std::nullopt;
                if (!e) continue;
                frameSum += e->squaredNorm();
                ++out.sightings;
            }
            sum += frameSum;
            count += out.sightings;
            out.rmsPx = out.sightings > 0 ? std::sqrt(frameSum / out.sightings) : 0;
        }
        result_.rmsPx = count > 0 ? std::sqrt(sum / count) : 0;
        if (r.solvedFrames() < sightings_.frameCount()) result_.trouble = SolveTrouble::growthStopped;
        result_.readout = r.readout();
        result_.height = request_.height;
        if (request_.readoutKnown != Known::known) result_.readoutSigma = r.readoutSigma().value_or(1e9);
        for (int p = 0; p < sightings_.pathCount(); ++p)
            if (sightings_.heldBack[size_t(p)]) result_.heldBack.push_back(sightings_.pathIds[size_t(p)]);
        turnOn(r);
        if (result_.solvedCount() == sightings_.frameCount()) result_.trouble = SolveTrouble::none;
        takePoints(r, place);
        takeRelief();
        takeParallax(r);
    }

    /// How flat the scene is: distances from the plane that is best in shares of how far away each point is, so that
    /// points in the far distance weigh no more than others.
    void takeRelief() {
        Eigen::Vector3d eye = Eigen::Vector3d::Zero();
        int frames = 0;
        for (const SolvedFrame& f : result_.frames)
            if (f.solved) eye += f.pose.position, ++frames;
        std::vector<Eigen::Vector3d> points;
        std::vector<double> far;
        for (const SolvedPoint& p : result_.points)
            if (const Eigen::Vector3d d = p.position - eye / std::max(1, frames); !p.heldBack && d.norm() > 0)
                points.push_back(d), far.push_back(d.norm());
        if (points.size() < 4 || frames == 0) return;
        const double usual = median(std::move(far));
        Eigen::Matrix4d sum = Eigen::Matrix4d::Zero();
        for (const Eigen::Vector3d& d : points) {
            const Eigen::Vector4d row = Eigen::Vector4d(d.x(), d.y(), d.z(), usual) / d.norm();
            sum += row * row.transpose() / double(points.size());
        }
        const Eigen::SelfAdjointEigenSolver<Eigen::Matrix4d> plane(sum);
        const double normal = plane.eigenvectors().col(0).head<3>().norm();
        if (normal > 1e-9) result_.relief = std::sqrt(std::max(0.0, plane.eigenvalues()(0))) / normal;
    }

    /// Frames that no placed point leads to, because the camera has stopped and only turns there: their turn is solved
    /// against the frames next to them, from all paths that they share, and the place is kept.
    void turnOn(const Reconstruction& r) {
        std::vector<std::optional<Eigen::Vector3d>> direction(size_t(sightings_.pathCount()));
        for (bool grown = true; grown;) {
            grown = false;
            for (int pass = 0; pass < 2; ++pass)
                for (int i = 0; i < sightings_.frameCount(); ++i) {
                    const int f = pass == 0 ? i : sightings_.frameCount() - 1 - i, next = pass == 0 ? f - 1 : f + 1;
                    if (next < 0 || next >= sightings_.frameCount()) continue;
                    SolvedFrame& out = result_.frames[size_t(f)];
                    const SolvedFrame& from = result_.frames[size_t(next)];
                    if (!out.solved && from.solved && turnOnto(r, f, from, direction)) grown = true;
                }
        }
    }

    bool turnOnto(const Reconstruction& r, int f, const SolvedFrame& from,
                  std::vector<std::optional<Eigen::Vector3d>>& direction) {
        SolvedFrame& out = result_.frames[size_t(f)];
        const int next = int(&from - result_.frames.data());
        Intrinsics lens = r.lensOf(next);
        std::vector<Eigen::Vector3d> world, seen;
        for (const auto& [i, j] : sightings_.shared(f, next)) {
            const auto a = lens.normalisedFromPixel(sightings_.all[size_t(i)].pixel),
                       b = lens.normalisedFromPixel(sightings_.all[size_t(j)].pixel);
            if (!a || !b) continue;
            auto& d = direction[size_t(sightings_.all[size_t(i)].path)];
            // In our axes a camera looks down −Z with Y up.
            if (!d) d = (from.pose.worldFromCamera * Eigen::Vector3d(b->x(), -b->y(), -1)).normalized();
            world.push_back(*d);
            seen.push_back(Eigen::Vector3d(a->x(), -a->y(), -1).normalized());
        }
        if (int(world.size()) < std::max(12, sightings_.fewest.seen)) return false;
        Eigen::Quaterniond turn = from.pose.worldFromCamera;
        const double close = 1.5 / lens.focalPx;
        std::vector<double> weights(world.size(), 1.0);
        int agree = 0;
        double sum = 0;
        for (int round = 0; round < 12; ++round) {
            // Kabsch 1976, weighed anew by how far each is off.
            Eigen::Matrix3d m = Eigen::Matrix3d::Zero();
            for (size_t k = 0; k < world.size(); ++k) m += weights[k] * world[k] * seen[k].transpose();
            const Eigen::JacobiSVD<Eigen::Matrix3d> svd(m, Eigen::ComputeFullU | Eigen::ComputeFullV);
            Eigen::Vector3d sign(1, 1, (svd.matrixU() * svd.matrixV().transpose()).determinant());
            turn = Eigen::Quaterniond(Eigen::Matrix3d(svd.matrixU() * sign.asDiagonal() * svd.matrixV().transpose()));
            agree = 0, sum = 0;
            for (size_t k = 0; k < world.size(); ++k) {
                const double off = (turn * seen[k] - world[k]).norm();
                weights[k] = 1 / (1 + std::pow(off / (0.5 * close), 2));
                if (off < close) ++agree, sum += off * off;
            }
        }
        if (agree * 10 < int(world.size()) * 7) return false;
        out.solved = true;
        out.origin = PoseOrigin::turned;
        out.pose.position = from.pose.position;
        out.pose.worldFromCamera = turn.normalized();
        out.focalPx = lens.focalPx;
        out.sightings = agree;
        out.rmsPx = lens.focalPx * std::sqrt(sum / agree);
        return true;
    }

    /// How many units of an earlier solve one of the reconstruction's is, from the distances of common points.
    double scaleOnto(const SolveResult& from, const Reconstruction& r, const CameraPose& here,
                     const CameraPose& there) {
        std::map<int, const SolvedPoint*> points;
        for (const SolvedPoint& p : from.points) points[p.pathId] = &p;
        std::vector<double> scales;
        for (int p = 0; p < sightings_.pathCount(); ++p) {
            const auto at = points.find(sightings_.pathIds[size_t(p)]);
            if (at == points.end() || !r.points()[size_t(p)]) continue;
            const double now = (*r.points()[size_t(p)] - here.position).norm();
            if (now > 0) scales.push_back((at->second->position - there.position).norm() / now);
        }
        const double scale = median(std::move(scales));
        return scale > 0 ? scale : 1;
    }

    template <class Place>
    void takePoints(const Reconstruction& r, const Place& place) {
        double checkSum = 0;
        int checkCount = 0;
        for (int p = 0; p < sightings_.pathCount(); ++p) {
            const auto [begin, end] = sightings_.ofPath[size_t(p)];
            SolvedPoint point;
            point.pathId = sightings_.pathIds[size_t(p)];
            point.stretch = {sightings_.frames[size_t(sightings_.all[size_t(begin)].frame)],
                             sightings_.frames[size_t(sightings_.all[size_t(end) - 1].frame)]};
            if (sightings_.heldBack[size_t(p)]) {
                const auto checked = checkPath(r, p, std::max(3.0, 8 * result_.rmsPx));
                // The sieve that the others went through, no finer: a path that slides would be out there as well.
                if (!checked || std::sqrt(checked->sumSquares / checked->count) > r.slideLimit()) continue;
                checkSum += checked->sumSquares;
                checkCount += checked->count;
                ++result_.checkPaths;
                point.heldBack = true;
                point.position = place(checked->position);
                point.sightings = checked->count;
                point.rmsPx = std::sqrt(checked->sumSquares / checked->count);
                point.worstPx = checked->worstPx;
                point.worstFrame = sightings_.frames[size_t(checked->worstFrame)];
                result_.points.push_back(point);
                groups_.push_back(p);
                continue;
            }
            SolveOutlier outlier{point.pathId, false, {}, ""};
            if (!r.points()[size_t(p)]) {
                int inSolved = 0;
                for (int i = begin; i < end; ++i) inSolved += r.hasView(sightings_.all[size_t(i)].frame);
                outlier.whole = true;
                outlier.reason = inSolved < 3  ? "seen in too few solved frames"
                                 : r.slides(p) ? "slides along an edge, or holds two surfaces"
                                               : "does not move with the scene, or too far away to be placed";
                result_.outliers.push_back(std::move(outlier));
                continue;
            }
            double sum = 0;
            int count = 0;
            for (int i = begin; i < end; ++i) {
                const PathSighting& s = r.sightings().all[size_t(i)];
                const auto e = r.residual(s);
                if (!e) continue;
                if (!s.use) {
                    outlier.frames.push_back(sightings_.frames[size_t(s.frame)]);
                    continue;
                }
                sum += e->squaredNorm();
                ++count;
                if (e->norm() > point.worstPx)
                    point.worstPx = e->norm(), point.worstFrame = sightings_.frames[size_t(s.frame)];
            }
            point.position = place(*r.points()[size_t(p)]);
            point.sightings = count;
            point.weight = r.pathWeight(p);
            point.rmsPx = count > 0 ? std::sqrt(sum / count) : 0;
            result_.points.push_back(point);
            groups_.push_back(p);
            if (!outlier.frames.empty()) {
                outlier.reason = "off by more than the noise explains";
                result_.outliers.push_back(std::move(outlier));
            }
        }
        if (checkCount > 0) result_.checkRmsPx = std::sqrt(checkSum / checkCount);
        keepOnePointAPath();
    }

    /// A path whose reference was re-taken was solved in stretches; the artist sees one point, that of its best
    /// stretch.
    void keepOnePointAPath() {
        std::map<int, size_t> best;
        for (size_t i = 0; i < result_.points.size(); ++i) {
            const auto [at, fresh] = best.emplace(result_.points[i].pathId, i);
            if (!fresh && result_.points[i].sightings > result_.points[at->second].sightings) at->second = i;
        }
        std::vector<SolvedPoint> kept;
        for (size_t i = 0; i < result_.points.size(); ++i)
            if (best.at(result_.points[i].pathId) == i) kept.push_back(result_.points[i]);
        result_.points = std::move(kept);
        // A stretch that was set aside is no news when another stretch of the path stands.
        std::map<int, SolveOutlier> outliers;
        for (SolveOutlier& o : result_.outliers) {
            if (o.whole && best.contains(o.pathId)) continue;
            const auto [at, fresh] = outliers.emplace(o.pathId, o);
            if (!fresh) at->second.frames.insert(at->second.frames.end(), o.frames.begin(), o.frames.end());
        }
        // Frames inside of the point's stretch that were measured against another reference are not this point's.
        for (int p = 0; p < sightings_.pathCount(); ++p) {
            const int id = sightings_.pathIds[size_t(p)];
            const auto at = best.find(id);
            if (at == best.end() || groups_[at->second] == p) continue;
            const auto keptPoint = std::find_if(result_.points.begin(), result_.points.end(),
                                                [&](const SolvedPoint& point) { return point.pathId == id; });
            const auto [begin, end] = sightings_.ofPath[size_t(p)];
            for (int i = begin; i < end; ++i) {
                const int frame = sightings_.frames[size_t(sightings_.all[size_t(i)].frame)];
                if (!keptPoint->stretch.contains(frame)) continue;
                const auto [outlier, fresh] = outliers.try_emplace(id, SolveOutlier{id, false, {}, ""});
                if (fresh) outlier->second.reason = "measured against another reference there";
                outlier->second.frames.push_back(frame);
            }
        }
        result_.outliers.clear();
        for (auto& [id, o] : outliers) {
            std::sort(o.frames.begin(), o.frames.end());
            o.frames.erase(std::unique(o.frames.begin(), o.frames.end()), o.frames.end());
        }
        for (auto& [id, o] : outliers) result_.outliers.push_back(std::move(o));
    }

    /// For the strip: how far around its points each frame's camera has moved since the first, in degrees.
    void takeParallax(const Reconstruction& r) {
        std::optional<Eigen::Vector3d> first;
        for (int f = 0; f < sightings_.frameCount(); ++f) {
            double angle = 0;
            if (r.hasView(f)) {
                const Eigen::Vector3d here = r.views()[size_t(f)]->centre();
                if (!first) first = here;
                std::vector<double> angles;
                for (int i : sightings_.byFrame[size_t(f)])
                    if (const auto& p = r.points()[size_t(sightings_.all[size_t(i)].path)]) {
                        const Eigen::Vector3d a = *p - *first, b = *p - here;
                        angles.push_back(std::atan2(a.cross(b).norm(), a.dot(b)));
                    }
                angle = median(std::move(angles)) * 180 / M_PI;
            }
            result_.parallaxByFrame.push_back(angle);
        }
    }

    // ---- no depth -----------------------------------------------------------------------------------------------

    void takeFixed() {
        result_.motion = Motion::fixed;
        result_.trouble = SolveTrouble::noParallax;
        result_.lens = lens_;
        for (size_t f = 0; f < result_.frames.size(); ++f) {
            result_.frames[f].solved = true;
            result_.frames[f].focalPx = lens_.focalPx;
            result_.frames[f].sightings = int(sightings_.byFrame[f].size());
        }
        const double still = 1.5 * std::max(1.0, request_.width / 1280.0);
        for (int p = 0; p < sightings_.pathCount(); ++p) {
            const auto [begin, end] = sightings_.ofPath[size_t(p)];
            double far = 0;
            for (int i = begin; i < end; ++i)
                far = std::max(far, (sightings_.all[size_t(i)].pixel - sightings_.all[size_t(begin)].pixel).norm());
            if (far > still)
                result_.outliers.push_back(
                    {sightings_.pathIds[size_t(p)], true, {}, "moves, although the camera stands"});
        }
    }

    /// Rotations for all frames: the keyframes' directions stay, every frame is turned onto them, then all are bundled
    /// once more. A turn with rows read one after the other was solved over all frames already. `by`: the sightings
    /// with what is not to be solved by held back.
    void takeRotation(const RotationSolve& onKeyframes, const Sightings& by) {
        progress_.stage("Solving the turns", 0, 0.8);
        std::vector<int> all;
        for (int f = 0; f < sightings_.frameCount(); ++f)
            if (sightings_.byFrame[size_t(f)].size() >= 4) all.push_back(f);
        const bool zooms = !onKeyframes.focals.empty();
        const std::vector<LensValue> solved = zooms ? std::vector{LensValue::focal} : std::vector<LensValue>{};
        Intrinsics start = onKeyframes.lens;
        if (zooms) start.focalPx = onKeyframes.focals.front();
        RotationSolve r = onKeyframes;
        if (r.rates.empty() || r.frames != all) {
            RotationSolve whole = solveRotationOnly(by, all, start, solved, {}, request_.seed, zooms);
            if (whole.found) r = std::move(whole);
            // A shear of the pictures that was taken for something else has bent the lens.
            if (rows().matters()) r = withRowsRead(by, r, zooms ? solved : lensValues(), priors(), rows());
        }
        result_.zooms = zooms;
        result_.height = request_.height;
        result_.readout = r.readout;
        result_.readoutSigma = r.readoutSigma;
        result_.motion = Motion::rotation;
        result_.trouble = SolveTrouble::noParallax;
        result_.lens = r.lens;
        result_.rotationRmsPx = r.robustRmsPx;
        const View base{r.rotations.front(), Eigen::Vector3d::Zero()};
        const Eigen::Quaterniond baseTurn = poseFromView(base).worldFromCamera;
        // What was not solved by may still go where the turn takes it.
        for (size_t k = 0; k < r.frames.size(); ++k)
            for (const int i : sightings_.byFrame[size_t(r.frames[k])]) {
                const PathSighting& s = sightings_.all[size_t(i)];
                Eigen::Vector3d& d = r.directions[size_t(s.path)];
                if (d.squaredNorm() > 0 || sightings_.heldBack[size_t(s.path)]) continue;
                if (const auto n = r.lensOf(k).normalisedFromPixel(s.pixel))
                    d = r.viewAt(k, s.pixel).rotation.transpose() * n->homogeneous().normalized();
            }
        double sum = 0;
        int count = 0;
        std::vector<std::pair<int, int>> believed(size_t(sightings_.pathCount()));  // of all
        for (size_t k = 0; k < r.frames.size(); ++k) {
            SolvedFrame& out = result_.frames[size_t(r.frames[k])];
            const View view{r.rotations[k], Eigen::Vector3d::Zero()};
            out.solved = true;
            out.pose.worldFromCamera = (baseTurn.conjugate() * poseFromView(view).worldFromCamera).normalized();
            out.focalPx = r.lensOf(k).focalPx;
            double frameSum = 0;
            for (int i : sightings_.byFrame[size_t(r.frames[k])]) {
                const PathSighting& s = sightings_.all[size_t(i)];
                const Eigen::Vector3d& d = r.directions[size_t(s.path)];
                const auto p = d.squaredNorm() > 0 ? project(r.viewAt(k, s.pixel), r.lensOf(k), d) : std::nullopt;
                const double e2 = p ? (*p - s.pixel).squaredNorm() : 1e9;
                ++believed[size_t(s.path)].second;
                if (e2 > std::max(1.0, 36 * r.robustRmsPx * r.robustRmsPx)) continue;
                frameSum += e2;
                ++out.sightings;
                ++believed[size_t(s.path)].first;
            }
            sum += frameSum;
            count += out.sightings;
            out.rmsPx = out.sightings > 0 ? std::sqrt(frameSum / out.sightings) : 0;
        }
        result_.rmsPx = count > 0 ? std::sqrt(sum / count) : 0;
        for (int p = 0; p < sightings_.pathCount(); ++p)
            if (!sightings_.heldBack[size_t(p)] && 2 * believed[size_t(p)].first < believed[size_t(p)].second)
                result_.outliers.push_back(
                    {sightings_.pathIds[size_t(p)], true, {}, "does not go where a turn takes it"});
    }

    const std::vector<Path>& paths_;
    const SolveRequest& request_;
    Progress& progress_;
    Sightings sightings_;
    Intrinsics lens_;
    std::vector<int> keyframes_;
    std::vector<StartPair> pairs_;
    std::set<int> gaveUp_;
    double disagreement_ = 1;  ///< of the paths, on top of what their errors say by themselves
    std::function<bool()> cancelled_;
    SolveResult result_;
    const SolveResult* from_ = nullptr;  ///< that is brought up to date
    std::vector<int> groups_;            ///< of sightings, by result_.points while they are made
};

}  // namespace

SolveResult solveShot(const std::vector<Path>& paths, const SolveRequest& request, Progress& progress) {
    return Solver(paths, request, progress).run();
}

SolveResult updateSolve(const std::vector<Path>& paths, const SolveRequest& request, const SolveResult& from,
                        Progress& progress) {
    return Solver(paths, request, progress).update(from);
}

}  // namespace va
