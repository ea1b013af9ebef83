// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <variant>

#include "layout/anchor.h"
#include "layout/box.h"

namespace va {

/// The table of all kinds of things. A new kind is a header of its own, with what box.h has, and a line here: the
/// inspector, the views, project and export files, verification and verdicts go by it.
using ThingKind = std::variant<Box,    //
                               Anchor  //
                               >;

}  // namespace va
