// SPDX-License-Identifier: GPL-3.0-or-later
#include "solve/report/point_result.h"

#include <algorithm>
#include <cmath>
#include <map>
#include <optional>

#include "solve/report/check_error.h"

namespace va {
namespace {

/// A point of the result, and the path's stretch (an index of the observations) that it comes from.
struct TakenPoint {
    SolvedPoint point;
    int group = 0;
};

class PointTaker {
  public:
    PointTaker(const Reconstruction& r, const Similarity& world, SolveResult& result)
        : r_(r), s_(r.observations()), world_(world), result_(result) {}

    void take() {
        for (int p = 0; p < s_.pathCount(); ++p) {
            if (s_.heldBack[size_t(p)]) takeHeldBack(p);
            else if (r_.points()[size_t(p)]) takePlaced(p);
            else sayWhyNot(p);
        }
        if (checkCount_ > 0) result_.checkRmsPx = std::sqrt(checkSum_ / checkCount_);
        keepOnePointAPath();
    }

  private:
    [[nodiscard]] int frame(int observation) const { return s_.number(s_.all[size_t(observation)].frame); }
    [[nodiscard]] SolvedPoint pointOf(int p, const Eigen::Vector3d& place) const {
        const auto [begin, end] = s_.ofPath[size_t(p)];
        SolvedPoint point;
        point.pathId = s_.pathIds[size_t(p)];
        point.stretch = {frame(begin), frame(end - 1)};
        point.position = world_.point(place);
        return point;
    }

    void takeHeldBack(int p) {
        const auto checked = checkPath(r_, p, std::max(3.0, 8 * result_.rmsPx));
        // The sieve that the others went through, no finer: a path that slides would be out there as well.
        if (!checked || std::sqrt(checked->sumSquares / checked->count) > r_.trust().slideLimit) return;
        checkSum_ += checked->sumSquares;
        checkCount_ += checked->count;
        ++result_.checkPaths;
        SolvedPoint point = pointOf(p, checked->position);
        point.heldBack = true;
        point.observations = checked->count;
        point.rmsPx = std::sqrt(checked->sumSquares / checked->count);
        point.worstPx = checked->worstPx;
        point.worstFrame = s_.number(checked->worstFrame);
        taken_.push_back({point, p});
    }

    void takePlaced(int p) {
        const auto [begin, end] = s_.ofPath[size_t(p)];
        SolvedPoint point = pointOf(p, *r_.points()[size_t(p)]);
        SolveOutlier outlier{point.pathId, false, {}, OutlierReason::noise};
        double sum = 0;
        for (int i = begin; i < end; ++i) {
            const PathObservation& s = s_.all[size_t(i)];
            const auto e = r_.residual(s);
            if (!e) continue;
            if (!s.use) {
                outlier.frames.push_back(frame(i));
                continue;
            }
            sum += e->squaredNorm();
            ++point.observations;
            if (e->norm() > point.worstPx) point.worstPx = e->norm(), point.worstFrame = frame(i);
        }
        point.weight = r_.pathWeight(p);
        point.rmsPx = point.observations > 0 ? std::sqrt(sum / point.observations) : 0;
        taken_.push_back({point, p});
        if (!outlier.frames.empty()) result_.outliers.push_back(std::move(outlier));
    }

    void sayWhyNot(int p) {
        const auto [begin, end] = s_.ofPath[size_t(p)];
        int inSolved = 0;
        for (int i = begin; i < end; ++i) inSolved += r_.hasView(s_.all[size_t(i)].frame);
        result_.outliers.push_back({s_.pathIds[size_t(p)],
                                    true,
                                    {},
                                    inSolved < 3   ? OutlierReason::fewFrames
                                    : r_.slides(p) ? OutlierReason::slides
                                                   : OutlierReason::notScene});
    }

    /// A path whose reference was re-taken was solved in stretches; the artist sees one point, that of its best
    /// stretch.
    void keepOnePointAPath() {
        std::map<int, size_t> best;  // by path id
        for (size_t i = 0; i < taken_.size(); ++i) {
            const auto [at, fresh] = best.emplace(taken_[i].point.pathId, i);
            if (!fresh && taken_[i].point.observations > taken_[at->second].point.observations) at->second = i;
        }
        // A stretch that was set aside is no news when another stretch of the path stands.
        std::map<int, SolveOutlier> outliers;
        for (SolveOutlier& o : result_.outliers) {
            if (o.whole && best.contains(o.pathId)) continue;
            const auto [at, fresh] = outliers.emplace(o.pathId, o);
            if (!fresh) at->second.frames.insert(at->second.frames.end(), o.frames.begin(), o.frames.end());
        }
        // Frames inside of the point's stretch that were measured against another reference are not this point's.
        for (int p = 0; p < s_.pathCount(); ++p) {
            const int id = s_.pathIds[size_t(p)];
            const auto at = best.find(id);
            if (at == best.end() || taken_[at->second].group == p) continue;
            const FrameRange stretch = taken_[at->second].point.stretch;
            const auto [begin, end] = s_.ofPath[size_t(p)];
            for (int i = begin; i < end; ++i) {
                if (!stretch.contains(frame(i))) continue;
                const auto [outlier, fresh] =
                    outliers.try_emplace(id, SolveOutlier{id, false, {}, OutlierReason::otherReference});
                outlier->second.frames.push_back(frame(i));
            }
        }
        for (size_t i = 0; i < taken_.size(); ++i)
            if (best.at(taken_[i].point.pathId) == i) result_.points.push_back(taken_[i].point);
        result_.outliers.clear();
        for (auto& [id, o] : outliers) {
            std::sort(o.frames.begin(), o.frames.end());
            o.frames.erase(std::unique(o.frames.begin(), o.frames.end()), o.frames.end());
            result_.outliers.push_back(std::move(o));
        }
    }

    const Reconstruction& r_;
    const Observations& s_;
    const Similarity& world_;
    SolveResult& result_;
    std::vector<TakenPoint> taken_;
    double checkSum_ = 0;  ///< px²
    int checkCount_ = 0;
};

}  // namespace

void takePoints(const Reconstruction& r, const Similarity& world, SolveResult& result) {
    PointTaker(r, world, result).take();
}

}  // namespace va
