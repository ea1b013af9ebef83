// SPDX-License-Identifier: GPL-3.0-or-later
#include "views/plate_view.h"

#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <QVBoxLayout>

namespace va {

PlateView::PlateView(Document& document, FeatureEdits& edits, QWidget* parent)
    : QFrame(parent), canvas_(new PlateCanvas(document, edits, this)) {
    setObjectName("plateView");
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(0);
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
}

}  // namespace va
