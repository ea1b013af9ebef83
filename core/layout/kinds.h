// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <variant>

#include "layout/anchor.h"
#include "layout/ball.h"
#include "layout/board.h"
#include "layout/box.h"
#include "layout/card.h"
#include "layout/cone.h"
#include "layout/cylinder.h"
#include "layout/group.h"
#include "layout/label.h"
#include "layout/light.h"
#include "layout/mesh.h"
#include "layout/post.h"

namespace va {

/// The table of all kinds of things. A new kind is a header of its own, with what box.h has, and a line here: tray,
/// list, inspector, views, project and export files, the headless program, verification and verdicts go by it.
using ThingKind = std::variant<Box,       //
                               Ball,      //
                               Cone,      //
                               Cylinder,  //
                               Post,      //
                               Board,     //
                               Card,      //
                               Label,     //
                               Mesh,      //
                               Anchor,    //
                               Light,     //
                               Group      //
                               >;

}  // namespace va
