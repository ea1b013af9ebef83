// SPDX-License-Identifier: GPL-3.0-or-later
// The actions of the step Ground.
#include "inspector/inspector.h"
#include "main_window/main_window.h"
#include "route/route.h"

namespace va {

std::vector<int> MainWindow::selectionInOrder() const {
    std::vector<int> out;
    for (int id : pickOrder_)
        if (document_.selectedPaths().contains(id)) out.push_back(id);
    return out;
}

void MainWindow::makeGroundActions() {
    connect(&document_, &Document::selectionChanged, this, [this] {
        std::erase_if(pickOrder_, [this](int id) { return !document_.selectedPaths().contains(id); });
        for (int id : document_.selectedPaths())
            if (std::find(pickOrder_.begin(), pickOrder_.end(), id) == pickOrder_.end()) pickOrder_.push_back(id);
    });
    const auto needs = [this](size_t least, const QString& what) {
        if (selectionInOrder().size() >= least) return true;
        showTrouble(what);
        return false;
    };
    add("level", tr("Level: floor through the selected points"), tr("Use selection"),
        QKeySequence(Qt::SHIFT | Qt::Key_L), "ruler", [this, needs] {
            if (!needs(3, tr("Select three or more points on the floor first, in a view or in the table."))) return;
            GroundSpec spec = document_.shot().groundSpec;
            spec.levelPaths = selectionInOrder();
            document_.setGround(tr("Level from %1 points").arg(spec.levelPaths.size()), spec);
        });
    add("autoLevel", tr("Level: find the floor"), tr("Find floor"), {}, {}, [this] {
        GroundSpec spec = document_.shot().groundSpec;
        spec.levelPaths.clear();
        document_.setGround(tr("Find floor"), spec);
    });
    add("origin", tr("Origin at the selected point"), tr("Origin"), QKeySequence(Qt::SHIFT | Qt::Key_O), {},
        [this, needs] {
            if (!needs(1, tr("Select the point that shall be the origin first."))) return;
            GroundSpec spec = document_.shot().groundSpec;
            spec.originPath = selectionInOrder().front();
            document_.setGround(tr("Set origin"), spec);
        });
    add("zAlong", tr("Z axis along the two selected points"), tr("Z along"), QKeySequence(Qt::SHIFT | Qt::Key_Z), {},
        [this, needs] {
            if (!needs(2, tr("Select two points first: the Z axis goes from the first to the second."))) return;
            const auto chosen = selectionInOrder();
            GroundSpec spec = document_.shot().groundSpec;
            spec.zAlong = GroundSpec::Direction{chosen[0], chosen[1]};
            document_.setGround(tr("Set facing"), spec);
        });
    add("scale", tr("Scale: length between the two selected points"), tr("Scale from two points"),
        QKeySequence(Qt::SHIFT | Qt::Key_S), {}, [this, needs] {
            if (!needs(2, tr("Select two points whose distance you know first, then enter it."))) return;
            const auto chosen = selectionInOrder();
            GroundSpec spec = document_.shot().groundSpec;
            auto* field = inspector_->findChild<NumberField*>("scaleLength");
            spec.length = GroundSpec::Length{chosen[0], chosen[1],
                                             spec.length                   ? spec.length->metres
                                             : field && field->value() > 0 ? field->value()
                                                                           : 1.0};
            document_.setGround(tr("Set scale"), spec);
            route_->setCurrent(Step::ground);
            if (field) field->setFocus();
        });
}

}  // namespace va
