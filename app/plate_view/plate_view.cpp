// SPDX-License-Identifier: GPL-3.0-or-later
#include "plate_view/plate_view.h"

#include <QAction>
#include <QHBoxLayout>
#include <QPushButton>
#include <QToolButton>
#include <QVBoxLayout>
#include <cmath>

namespace va {

PlateView::PlateView(Document& document, FeatureEdits& edits, const QList<QAction*>& tools, QWidget* parent)
    : QFrame(parent), canvas_(new PlateCanvas(document, edits, this)) {
    setObjectName("plateView");
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(0);
    auto* header = new QHBoxLayout;
    header->setContentsMargins(10, 4, 10, 4);
    header->setSpacing(8);
    auto* title = new QLabel(tr("Plate"));
    title->setObjectName("title");
    auto* zoom = new QLabel;
    zoom->setObjectName("quiet");
    header->addWidget(title);
    header->addWidget(zoom);
    header->addStretch();
    for (QAction* tool : tools) {
        auto* button = new QToolButton;
        button->setDefaultAction(tool);
        button->setIconSize(QSize(16, 16));
        button->setAccessibleName(tool->text());
        header->addWidget(button);
    }
    layout->addLayout(header);
    auto* banner = new QFrame;
    banner->setObjectName("banner");
    auto* row = new QHBoxLayout(banner);
    auto* text = new QLabel(tr("The footage is missing."));
    text->setWordWrap(true);
    auto* locate = new QPushButton(tr("Locate footage…"));
    locate->setObjectName("locateFootage");
    row->addWidget(text, 1);
    row->addWidget(locate);
    layout->addWidget(banner);
    layout->addWidget(canvas_, 1);
    connect(locate, &QPushButton::clicked, this, &PlateView::locateAsked);
    const auto refresh = [=, &document] { banner->setVisible(!document.plateTrouble().isEmpty()); };
    refresh();
    connect(&document, &Document::shotChanged, this, refresh);
    connect(&document, &Document::plateChanged, this, refresh);
    connect(canvas_, &PlateCanvas::zoomChanged, this,
            [=, this] { zoom->setText(tr("%1 %").arg(std::lround(canvas_->zoom() * 100))); });
}

}  // namespace va
