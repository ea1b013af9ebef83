// SPDX-License-Identifier: GPL-3.0-or-later
#include "inspector/inspector.h"

#include <QScrollBar>
#include <QVBoxLayout>
#include <algorithm>

#include "steps/step_table.h"

namespace va {

Inspector::Inspector(const PageContext& context, QWidget* parent) : QScrollArea(parent) {
    setObjectName("inspector");
    setFixedWidth(240);
    setWidgetResizable(true);
    setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    setFrameShape(QFrame::NoFrame);
    // Pages that are hidden take no room: the one that is seen decides how far there is to scroll.
    auto* all = new QWidget;
    auto* below = new QVBoxLayout(all);
    below->setContentsMargins(0, 0, 0, 0);
    setWidget(all);
    for (size_t i = 0; i < pages_.size(); ++i) {
        pages_[i] = stepTable()[i].makePage(context);
        below->addWidget(pages_[i]);
        pages_[i]->setVisible(i == shown_);
        pages_[i]->installEventFilter(this);
    }
    settling_.setSingleShot(true);
    connect(&settling_, &QTimer::timeout, this, &Inspector::settle);
    connect(&context.document, &Document::shotChanged, this, &Inspector::refresh);
    connect(&context.document, &Document::selectionChanged, this, &Inspector::refresh);
    connect(&context.document, &Document::frameChanged, this, &Inspector::refresh);
    connect(&context.document, &Document::fileNameChanged, this, &Inspector::refresh);
    refresh();
}

void Inspector::showStep(Step step) {
    if (shown_ == size_t(step)) return refresh();
    scrolled_[shown_] = verticalScrollBar()->value();
    pages_[shown_]->hide();
    shown_ = size_t(step);
    pages_[shown_]->show();
    refresh();
    settle();
    verticalScrollBar()->setValue(scrolled_[shown_]);
}

/// A section was opened, a note has more lines.
bool Inspector::eventFilter(QObject* object, QEvent* event) {
    if (event->type() == QEvent::LayoutRequest && object == pages_[shown_]) settling_.start();
    return QScrollArea::eventFilter(object, event);
}

/// How far there is to scroll is known once the page is laid out. What the layout knows of a page may be from before it
/// was shown, when other parts of it were open.
void Inspector::settle() {
    QLayout* layout = widget()->layout();
    layout->invalidate();
    layout->activate();
    const int width = viewport()->width();
    widget()->resize(width, std::max({viewport()->height(), layout->totalMinimumSize().height(),
                                      layout->hasHeightForWidth() ? layout->totalHeightForWidth(width) : 0}));
}

void Inspector::reveal(QWidget* widget) {
    unfold(widget);
    settle();
    ensureWidgetVisible(widget);
}

void Inspector::refresh() { pages_[shown_]->refresh(); }

}  // namespace va
