// SPDX-License-Identifier: GPL-3.0-or-later
#include "solve/incremental/depth_mirror.h"

#include <algorithm>
#include <cmath>

namespace va {

double depthSpread(const Reconstruction& r) {
    const Observations& o = r.observations();
    std::vector<double> shares;
    for (const FrameIndex f : o.indices()) {
        if (!r.hasView(f)) continue;
        double sum = 0, squares = 0;
        int n = 0;
        for (const int i : o.byFrame[f])
            if (const auto& p = r.points()[size_t(o.all[size_t(i)].path)]) {
                const double z = r.views()[f]->toCamera(*p).z();
                sum += z, squares += z * z, ++n;
            }
        if (n < 3 || !(sum > 0)) continue;
        const double mean = sum / n;
        shares.push_back(std::sqrt(std::max(0.0, squares / n - mean * mean)) / mean);
    }
    return median(std::move(shares));
}

void mirror(Reconstruction& r) {
    std::vector<FrameIndex> solved;
    for (const FrameIndex f : r.observations().indices())
        if (r.hasView(f)) solved.push_back(f);
    if (solved.empty()) return;
    const View base = *r.views()[solved[solved.size() / 2]];
    Eigen::Vector3d middle = Eigen::Vector3d::Zero();
    int n = 0;
    for (const auto& p : r.points())
        if (p) middle += base.toCamera(*p), ++n;
    if (n == 0) return;
    middle /= n;
    const Eigen::Matrix3d flip = Eigen::Vector3d(1, 1, -1).asDiagonal();
    // In the middle view's axes about the points' middle a far view is x ~ R X + t; with X → F X it is F R F and t that
    // see the same.
    const Eigen::Vector3d centre = base.rotation.transpose() * (middle - base.translation);
    for (int p = 0; p < r.observations().pathCount(); ++p)
        if (const auto& at = r.points()[size_t(p)])
            r.setPoint(p, centre + base.rotation.transpose() * (flip * (base.rotation * (*at - centre))));
    for (const FrameIndex f : solved) {
        View v = *r.views()[f];
        const Eigen::Vector3d seen = v.toCamera(centre);
        const Eigen::Matrix3d relative = v.rotation * base.rotation.transpose();
        v.rotation = flip * relative * flip * base.rotation;
        v.translation = seen - v.rotation * centre;
        r.setView(f, v);
    }
    r.updateRates();
}

bool isMirrorOf(const Reconstruction& r, const Reconstruction& other) {
    // Depths of the points in the middle common view: against each other they run the other way.
    const int frames = r.views().count();
    for (int step = 0; step < 2 * frames; ++step) {
        const FrameIndex f((frames / 2 + step) % frames);
        if (!r.hasView(f) || !other.hasView(f)) continue;
        double a = 0, b = 0, ab = 0;
        int n = 0;
        for (int pass = 0; pass < 2; ++pass) {
            const double meanA = n > 0 ? a / n : 0, meanB = n > 0 ? b / n : 0;
            for (size_t p = 0; p < r.points().size(); ++p) {
                if (!r.points()[p] || !other.points()[p]) continue;
                const double x = r.views()[f]->toCamera(*r.points()[p]).z(),
                             y = other.views()[f]->toCamera(*other.points()[p]).z();
                if (pass == 0) a += x, b += y, ++n;
                else ab += (x - meanA) * (y - meanB);
            }
        }
        return n > 3 && ab < 0;
    }
    return false;
}

}  // namespace va
