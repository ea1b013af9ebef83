// SPDX-License-Identifier: GPL-3.0-or-later
// The actions of the step Layout.
#include "main_window/main_window.h"

namespace va {

void MainWindow::makeLayoutActions() {
    add("anchor", tr("Anchor: name the position of the selected points"), tr("Anchor"), Qt::Key_N, "map-pin", [this] {
        if (document_.selectedPaths().isEmpty())
            return showTrouble(tr("Select one or more points first: the anchor goes to their middle."));
        Eigen::Vector3d sum = Eigen::Vector3d::Zero();
        int count = 0;
        for (int id : document_.selectedPaths())
            if (const auto p = document_.shot().worldPointOfPath(id)) sum += *p, ++count;
        if (count == 0) return showTrouble(tr("None of the selected features was solved. Select solved features."));
        document_.addThing(Anchor(), sum / count);
    });
    add("removeThing", tr("Remove the selected thing"), tr("Remove"), QKeySequence(Qt::Key_Backspace), {}, [this] {
        if (document_.selectedThing() != 0) document_.removeThing(document_.selectedThing());
    });
}

}  // namespace va
