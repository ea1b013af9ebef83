// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "shot/shot.h"

namespace va {

/// Looks whether what a project says can be: numbers are finite and in range, paths, points, cameras and measures do
/// not contradict each other. Throws InputError that names the key and the number.
void requireSound(const Shot& shot);

}  // namespace va
