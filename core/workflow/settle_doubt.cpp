// SPDX-License-Identifier: GPL-3.0-or-later
#include "workflow/settle_doubt.h"

#include <algorithm>
#include <cmath>
#include <map>
#include <memory>

#include "workflow/whole_frames.h"

namespace va {
namespace {

/// Points without doubt that a path needs for its position in the scene to be told without the doubtful ones.
constexpr int fewestSure = 8;
/// A stretch is trusted where it lies, as root mean square, within its own deviation or within this, px at 1280 px of
/// width: about as far as sound points lie from a solve.
constexpr double nearEnough = 0.2;

bool doubtful(const PathPoint& q) { return q.doubtful; }
bool anyDoubt(const std::vector<Path>& paths) {
    return std::any_of(paths.begin(), paths.end(),
                       [](const Path& p) { return std::any_of(p.points.begin(), p.points.end(), doubtful); });
}

/// Whether most frames have hardly any other points: WholeFrames kept the doubtful ones because there is nothing else.
bool mostIsDoubtful(const std::vector<Path>& paths) {
    std::map<int, int> sure;
    for (const Path& p : paths)
        for (const PathPoint& q : p.points) sure[q.frame] += !q.doubtful;
    const auto few =
        std::count_if(sure.begin(), sure.end(), [](const auto& frame) { return frame.second < enoughSoundPoints; });
    return 2 * few > std::ssize(sure);
}

class Doubt {
  public:
    explicit Doubt(int width) : variance_(doubtVariance(width)), near_(nearEnough * width / 1280.0) {}

    /// Makes those stretches of a path sure that lie where the solve puts its position.
    void settle(Path& p, const SolveResult& solve, const Eigen::Vector3d& place) const {
        for (size_t i = 0; i < p.points.size();) {
            size_t end = i;
            while (end < p.points.size() && p.points[end].doubtful) ++end;
            if (trusted(p, i, end, solve, place))
                for (size_t k = i; k < end; ++k) {
                    PathPoint& q = p.points[k];
                    q.doubtful = false;
                    q.sxx -= variance_, q.syy -= variance_;
                }
            i = std::max(end, i + 1);
        }
    }

  private:
    [[nodiscard]] bool trusted(const Path& p, size_t from, size_t end, const SolveResult& solve,
                               const Eigen::Vector3d& place) const {
        double off = 0, own = 0;
        int n = 0;
        for (size_t k = from; k < end; ++k) {
            const PathPoint& q = p.points[k];
            const auto seen = solve.seen(q.frame, place);
            if (!seen) continue;
            off += (*seen - Eigen::Vector2d(q.x, q.y)).squaredNorm() / 2;
            own += double(q.sxx + q.syy) / 2 - double(variance_);
            ++n;
        }
        return n > 0 && off / n < std::max(own / n, near_ * near_);
    }

    float variance_;
    double near_;
};

}  // namespace

Shot withDoubtSettled(const Shot& shot, const std::function<Shot(const Shot&)>& update) {
    const Doubt doubt(shot.plate.width);
    if (shot.solve->motion != Motion::free || !anyDoubt(*shot.paths) || mostIsDoubtful(*shot.paths)) return shot;
    auto sure = std::make_shared<std::vector<Path>>(*shot.paths);
    for (Path& p : *sure) p.points.eraseIf(doubtful);
    std::erase_if(*sure, [](const Path& p) { return p.points.empty(); });
    Shot without = shot;
    without.paths = sure;
    without = update(without);
    if (without.solve->motion != Motion::free) return shot;

    std::map<int, Eigen::Vector3d> places;
    for (const SolvedPoint& p : without.solve->points) places[p.pathId] = p.position;
    auto paths = std::make_shared<std::vector<Path>>(*shot.paths);
    bool any = false;
    for (Path& p : *paths) {
        const auto others =
            std::count_if(p.points.begin(), p.points.end(), [](const PathPoint& q) { return !q.doubtful; });
        if (const auto place = places.find(p.id); place != places.end() && others >= fewestSure)
            doubt.settle(p, *without.solve, place->second);
        p.points.eraseIf(doubtful);
        any = any || std::ptrdiff_t(p.points.size()) > others;
    }
    if (!any) return without;
    std::erase_if(*paths, [](const Path& p) { return p.points.empty(); });
    Shot settled = without;
    settled.paths = std::move(paths);
    return update(settled);
}

}  // namespace va
