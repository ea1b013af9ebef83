// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <string>
#include <vector>

#include "shot/shot.h"

namespace va {

/// Known positions from a text file: a line each, `name x y z`, divided by blanks, tabs, commas or semicolons; empty
/// lines and those that begin with # are left out, and so is a first line of column titles. Throws InputError with the
/// line that is wrong.
std::vector<CheckPoint> readCheckPoints(const std::string& text, const std::string& source);

/// The shot with these check points added; one of a name that is there takes its place. A feature of the same name is
/// assigned at once.
Shot withCheckPoints(const Shot& shot, std::vector<CheckPoint> points);

/// A new check point of the kind from features, with a name that is free: distance (2), rightAngle (3, the middle one
/// at the corner as it lies between the others), flat (4 or more), position and level (1). Throws InputError for
/// another number of features.
Shot withCheckPoint(const Shot& shot, PointTie::Kind kind, const std::vector<int>& paths);

/// "beam end: 0.004 m off, tolerance 0.010" or why it does not count; `report` null before a solve.
std::string checkPointLine(const CheckPoint& point, const MeasureReport* report);

/// The report on a check point in the shot's solve, or null where the solve was made without it.
const MeasureReport* reportOf(const Shot& shot, int checkPointId);

}  // namespace va
