// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QString>

namespace va {

class MainWindow;

/// Lays out the demo's yard in the window's shot, which has to be solved: a post, a crate, a label on the sign, a
/// lantern on the trolley, a gull that flies by keys. `props` is the folder of the demo's meshes. What the shot does
/// not have (a mover) is left out.
void layOutYard(MainWindow& window, const QString& props);

/// Matches the shot, looks for movers and lays the yard out, waiting for each in turn while the window goes on.
void openLaidOut(MainWindow& window, const QString& props);

}  // namespace va
