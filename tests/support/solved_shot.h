// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "shot/shot.h"

namespace va::test {

/// A shot with a plate that does not exist, solved and grounded from made-up paths, with a box and an anchor: for tests
/// that need no footage.
Shot makeSolvedShot();

}  // namespace va::test
