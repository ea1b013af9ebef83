// SPDX-License-Identifier: GPL-3.0-or-later
#include "bal.h"

#include <Eigen/Geometry>
#include <cstdio>
#include <stdexcept>

namespace va::test {

BundleProblem readBal(const std::string& file) {
    std::FILE* in = popen(("bzip2 -dc " + file).c_str(), "r");
    if (!in) throw std::runtime_error("bzip2 can't be run");
    const auto number = [&] {
        double v = 0;
        if (std::fscanf(in, "%lf", &v) != 1) throw std::runtime_error(file + " ends early");
        return v;
    };
    BundleProblem p;
    const int cameras = int(number()), points = int(number()), observations = int(number());
    for (int i = 0; i < observations; ++i) {
        BundleProblem::Observation o;
        o.view = int(number());
        o.point = int(number());
        o.pixel.x() = number();
        o.pixel.y() = -number();
        p.observations.push_back(o);
    }
    const Eigen::DiagonalMatrix<double, 3> flip(1, -1, -1);
    for (int c = 0; c < cameras; ++c) {
        Eigen::Vector3d rotation, shift;
        for (int k = 0; k < 3; ++k) rotation[k] = number();
        for (int k = 0; k < 3; ++k) shift[k] = number();
        View v;
        v.rotation = flip * Eigen::AngleAxisd(rotation.norm(), rotation.normalized()).toRotationMatrix();
        v.translation = flip * shift;
        Intrinsics lens;
        lens.focalPx = number();
        lens.lens.setValue("k1", number());
        lens.lens.setValue("k2", number());
        p.views.push_back(v);
        p.lenses.push_back(lens);
        p.lensOfView.push_back(c);
    }
    for (int i = 0; i < points; ++i) {
        Eigen::Vector3d x;
        for (int k = 0; k < 3; ++k) x[k] = number();
        p.points.push_back(x);
    }
    pclose(in);
    return p;
}

}  // namespace va::test
