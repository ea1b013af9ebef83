// SPDX-License-Identifier: GPL-3.0-or-later
#include "views/scene_view.h"

#include <QAction>
#include <QHBoxLayout>
#include <QToolButton>
#include <QVBoxLayout>

namespace va {

SceneView::SceneView(Document& document, PlateCanvas& plate, const QList<QAction*>& modes, QAction* colours,
                     QWidget* parent)
    : QFrame(parent), header_(new QFrame), canvas_(new SceneCanvas(document, plate, this)) {
    setObjectName("sceneView");
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(1, 1, 1, 1);
    layout->setSpacing(0);
    header_->setObjectName("sceneHeader");
    auto* row = new QHBoxLayout(header_);
    row->setContentsMargins(6, 1, 6, 1);
    row->setSpacing(0);
    const auto add = [&](QAction* action) {
        auto* button = new QToolButton;
        button->setObjectName("word");
        button->setDefaultAction(action);
        button->setToolButtonStyle(Qt::ToolButtonTextOnly);
        button->setAccessibleName(action->text());
        row->addWidget(button);
    };
    for (QAction* mode : modes) add(mode);
    row->addStretch();
    add(colours);
    layout->addWidget(header_);
    layout->addWidget(canvas_, 1);
}

}  // namespace va
