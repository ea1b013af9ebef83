// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QString>

namespace va {

class MainWindow;

/// Lays out the demo's yard in the window's shot, which has to be solved: a post, a crate, a label on the sign, a
/// lantern on the trolley, a gull that flies by keys. `props` is the folder of the demo's meshes. What the shot does
/// not have (a mover) is left out.
void layOutYard(MainWindow& window, const QString& props);

/// Lays out what a proof of the clips "slipway" and "boardwalk" shows, and sets the step up for it: a crate, a post, a
/// chrome and a grey ball; on the slipway a box behind the hull, which a mask puts in front of it; on the boardwalk a
/// puddle that mirrors a post.
void layOutProof(MainWindow& window, const QString& props);

/// Matches the shot, looks for movers and lays the yard out, waiting for each in turn while the window goes on;
/// the proof's clips are laid out for that.
void openLaidOut(MainWindow& window, const QString& props);

}  // namespace va
