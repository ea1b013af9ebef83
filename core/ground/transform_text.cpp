// SPDX-License-Identifier: GPL-3.0-or-later
#include "ground/transform_text.h"

#include <cmath>
#include <sstream>

#include "base/error.h"
#include "base/text.h"

namespace va {

std::string textOfTransform(const Similarity& t) {
    const auto& q = t.rotation;
    return formatted("position\t%.17g\t%.17g\t%.17g\n", t.translation.x(), t.translation.y(), t.translation.z()) +
           formatted("rotation\t%.17g\t%.17g\t%.17g\t%.17g\n", q.w(), q.x(), q.y(), q.z()) +
           formatted("scale\t%.17g\n", t.scale);
}

Similarity transformFromText(const std::string& content) {
    Similarity out;
    std::istringstream lines(content);
    std::string line;
    int number = 0, used = 0;
    while (std::getline(lines, line)) {
        ++number;
        std::istringstream in(line);
        std::string word;
        if (!(in >> word)) continue;
        const auto wrong = [&](const std::string& what) {
            throw InputError(text("Line %d of the transform is wrong: %s.", number, what.c_str()));
        };
        if (word == "position") {
            if (!(in >> out.translation.x() >> out.translation.y() >> out.translation.z()))
                wrong(text("a position takes three numbers"));
        } else if (word == "rotation") {
            Eigen::Quaterniond q;
            if (!(in >> q.w() >> q.x() >> q.y() >> q.z())) wrong(text("a rotation takes four numbers, w x y z"));
            if (!(q.norm() > 0.9 && q.norm() < 1.1))
                wrong(
                    text("the four numbers of the rotation are of length %.3f "
                         "and not 1",
                         q.norm()));
            out.rotation = std::fabs(q.norm() - 1) < 1e-12 ? q : q.normalized();
        } else if (word == "scale") {
            if (!(in >> out.scale) || !(out.scale > 0)) wrong(text("a scale takes a number above zero"));
        } else {
            wrong(text("\"%s\" is none of position, rotation, scale", word.c_str()));
        }
        ++used;
    }
    if (used == 0)
        throw InputError(text("There is no transform in the clipboard: copy one with \"Copy transform\" first."));
    if (!out.translation.allFinite() || !std::isfinite(out.scale))
        throw InputError(text("The transform holds numbers that are none."));
    return out;
}

}  // namespace va
