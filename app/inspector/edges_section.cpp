// SPDX-License-Identifier: GPL-3.0-or-later
#include "inspector/edges_section.h"

#include <QHeaderView>

#include "lens/plumb_line.h"

namespace va {

EdgesSection::EdgesSection(Document& document, LensEdits& edits, const QMap<QString, QAction*>& actions)
    : Page(tr("Straight edges"), Kind::part), document_(document), edits_(edits) {
    buttons({actions["findEdges"], actions["acceptEdges"]});
    buttons({actions["solveEdges"], actions["removeProposals"]});
    table_ = new QTableWidget(0, 4);
    table_->setObjectName("edgeTable");
    table_->setAccessibleName(tr("Straight edges"));
    table_->setToolTip(
        tr("How far each edge is off straight, RMS in px: before, as the plate shows it, and after the lens is taken "
           "out"));
    table_->setHorizontalHeaderLabels({tr("Use"), tr("Frame"), tr("before"), tr("after")});
    table_->verticalHeader()->hide();
    table_->verticalHeader()->setDefaultSectionSize(20);
    table_->horizontalHeader()->setSectionResizeMode(QHeaderView::Stretch);
    table_->horizontalHeader()->setSectionResizeMode(0, QHeaderView::Fixed);
    table_->setColumnWidth(0, 66);
    table_->horizontalHeader()->setSectionResizeMode(1, QHeaderView::Fixed);
    table_->setColumnWidth(1, 44);
    table_->setWordWrap(false);
    table_->setEditTriggers(QAbstractItemView::NoEditTriggers);
    table_->setSelectionBehavior(QAbstractItemView::SelectRows);
    table_->setShowGrid(false);
    table_->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    table_->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Fixed);
    table_->setFixedHeight(220);
    insert(table_);
    note_ = note();
    connect(table_, &QTableWidget::itemChanged, this, [this](QTableWidgetItem* item) {
        if (!refreshing_ && item->column() == 0) edits_.toggleEdge(item->data(Qt::UserRole).toInt());
    });
    connect(table_, &QTableWidget::cellDoubleClicked, this, [this](int row, int) {
        if (const StraightEdge* e = document_.shot().straightEdge(table_->item(row, 0)->data(Qt::UserRole).toInt()))
            document_.setFrame(e->frame);
    });
}

void EdgesSection::refresh() {
    if (refreshing_) return;
    refreshing_ = true;
    const Shot& s = document_.shot();
    const auto lens = s.lens();
    int accepted = 0;
    table_->setRowCount(int(s.edges.size()));
    for (int row = 0; row < table_->rowCount(); ++row) {
        const StraightEdge& e = s.edges[size_t(row)];
        accepted += e.accepted;
        const Straightness straightness = straightnessOf(e.points, lens ? *lens : s.givenLens());
        auto* use = new QTableWidgetItem(e.drawn ? tr("drawn") : QString());
        use->setFlags(use->flags() | Qt::ItemIsUserCheckable);
        use->setCheckState(e.accepted ? Qt::Checked : Qt::Unchecked);
        use->setData(Qt::UserRole, e.id);
        table_->setItem(row, 0, use);
        const QString words[3] = {QString::number(e.frame), QString::number(straightness.before, 'f', 2),
                                  lens ? QString::number(straightness.after, 'f', 2) : QString("–")};
        for (int k = 0; k < 3; ++k) {
            auto* item = new QTableWidgetItem(words[k]);
            item->setTextAlignment(Qt::AlignRight | Qt::AlignVCenter);
            table_->setItem(row, k + 1, item);
        }
    }
    table_->setVisible(!s.edges.empty());
    note_->setText(
        s.edges.empty()
            ? tr("Find edges in this frame, or take the edge tool and draw along things that are straight in "
                 "the world: long ones near the border of the frame tell most.")
        : accepted == 0 ? tr("%1 proposed. A click on an edge accepts it. With none accepted, all are used, and those "
                             "that stay curved left out.")
                              .arg(s.edges.size())
                        : tr("%1 of %2 accepted. What they show becomes the start value of the distortion.")
                              .arg(accepted)
                              .arg(s.edges.size()));
    refreshing_ = false;
}

}  // namespace va
