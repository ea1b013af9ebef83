// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <ostream>
#include <string>
#include <vector>

#include "base/rational.h"

namespace va {

/// A movie of marked frames as one kind of writer leaves it.
struct MovieCase {
    std::string name;  ///< letters and figures only; names the test
    std::string file;  ///< its name
    std::string
        make;  ///< shell commands; $RAW reads marked frames, $OUT is the file, $DIR a folder for what lies between
    Rational rate{25, 1};
    bool damaged = false;   ///< frames may be missing, and gaps stand for them
    bool colours = true;    ///< compare the patches' colours
    int turned = 0;         ///< degrees clockwise that the file asks for
    std::string reference;  ///< options for the program that reads the reference
    std::string filter;     ///< and its filter
};

std::vector<MovieCase> movieCases();
inline void PrintTo(const MovieCase& c, std::ostream* out) { *out << c.name; }

}  // namespace va
