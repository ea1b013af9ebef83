// SPDX-License-Identifier: GPL-3.0-or-later
#include "document/slip_watch.h"

#include <QTimer>
#include <algorithm>
#include <cmath>

namespace va {
namespace {

/// Positions on the ground between the near and the far points of the scene, denser than that nothing can be read.
std::vector<SlipWatch::Spot> groundSpots(const Shot& shot, const SlipField& field) {
    std::vector<double> x, z;
    for (const SolvedPoint& p : shot.solve->points) {
        const Eigen::Vector3d w = shot.worldPoint(p);
        x.push_back(w.x()), z.push_back(w.z());
    }
    if (x.size() < 20) return {};
    std::sort(x.begin(), x.end());
    std::sort(z.begin(), z.end());
    const size_t low = x.size() / 12, high = x.size() - 1 - low;
    const Similarity toSolve = shot.ground->worldFromSolve.inverse();
    std::vector<SlipWatch::Spot> out;
    constexpr int steps = 15;
    for (int i = 0; i <= steps; ++i)
        for (int j = 0; j <= steps; ++j) {
            const Eigen::Vector3d at(x[low] + (x[high] - x[low]) * i / steps, 0,
                                     z[low] + (z[high] - z[low]) * j / steps);
            const double slip = field.slipPx(toSolve.point(at), shot.range);
            if (slip >= 0) out.push_back({at, slip});
        }
    return out;
}

void measure(const Shot& shot, SlipWatch::Found& found) {
    if (shot.ground->level) found.ground = groundSpots(shot, found.field);
    for (const auto& [frame, sigma] : found.field.pathSigma())
        found.path.emplace_back(frame, sigma * shot.ground->worldFromSolve.scale);
    std::vector<double> slips;
    for (const SlipWatch::Spot& spot : found.ground) slips.push_back(spot.slipPx);
    std::sort(slips.begin(), slips.end());
    if (!slips.empty())
        for (const double limit : {5.0, 2.0, 1.0, 0.5, 0.2, 0.1, 0.05})
            if (slips[slips.size() * 9 / 10] <= limit) found.groundLimitPx = limit;
    found.overPointsPx = slipOverPoints(found.field, *shot.solve, shot.range);
    found.nearPx = slipNearCamera(found.field, *shot.solve, shot.range);
}

}  // namespace

SlipWatch::SlipWatch(Document& document) : document_(document) {
    connect(&document_, &Document::shotChanged, this, &SlipWatch::refresh);
    quiet_.setSingleShot(true);
    connect(&quiet_, &QTimer::timeout, this, &SlipWatch::workOut);
}

double SlipWatch::slipAt(const Eigen::Vector3d& world) const {
    if (!found_) return -1;
    const Shot& shot = document_.shot();
    return found_->field.slipPx(shot.ground->worldFromSolve.inverse().point(world), shot.range);
}

void SlipWatch::refresh() {
    const Shot& shot = document_.shot();
    if (shot.solve == from_ && shot.ground == ground_ && shot.range == range_) return;
    if (shot.solve != from_) field_.reset();
    from_ = shot.solve, ground_ = shot.ground, range_ = shot.range;
    stale_ = true;
    found_.reset();
    Q_EMIT changed();
    // Steps of undo come quickly one after the other: only what stays is worked out.
    quiet_.start(200);
}

void SlipWatch::workOut() {
    if (background_.running() || !stale_) return;
    stale_ = false;
    const Shot& shot = document_.shot();
    // A first camera is soon another one, and the match wants the processor.
    if (shot.solve->motion != Motion::free || shot.solve->preliminary) return;
    const auto found = std::make_shared<Found>();
    background_.start(
        [found, snapshot = shot, before = field_](Progress&) {
            found->field =
                before ? *before
                       : slipFieldOf(*snapshot.solve, *snapshot.paths, snapshot.plate.width, snapshot.plate.height);
            if (!found->field.empty()) measure(snapshot, *found);
        },
        [this, found](Background::End, const QString&) {
            // What was wanted has changed meanwhile: once more.
            if (stale_) return quiet_.start(0);
            field_ = std::shared_ptr<const SlipField>(found, &found->field);
            if (!found->field.empty()) found_ = found;
            Q_EMIT changed();
        });
}

}  // namespace va
