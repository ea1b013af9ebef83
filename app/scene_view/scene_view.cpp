// SPDX-License-Identifier: GPL-3.0-or-later
#include "scene_view/scene_view.h"

#include <QAction>
#include <QHBoxLayout>
#include <QLabel>
#include <QToolButton>
#include <QVBoxLayout>

namespace va {

SceneView::SceneView(Document& document, PlateCanvas& plate, const QList<QAction*>& modes, QWidget* parent)
    : QFrame(parent), canvas_(new SceneCanvas(document, plate, this)) {
    setObjectName("sceneView");
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(0);
    auto* header = new QHBoxLayout;
    header->setContentsMargins(10, 4, 10, 4);
    header->setSpacing(4);
    auto* title = new QLabel(tr("Scene"));
    title->setObjectName("title");
    header->addWidget(title);
    header->addSpacing(4);
    for (QAction* mode : modes) {
        auto* button = new QToolButton;
        button->setDefaultAction(mode);
        button->setToolButtonStyle(Qt::ToolButtonTextOnly);
        button->setAccessibleName(mode->text());
        header->addWidget(button);
    }
    header->addStretch();
    layout->addLayout(header);
    layout->addWidget(canvas_, 1);
}

}  // namespace va
