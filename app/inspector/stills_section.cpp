// SPDX-License-Identifier: GPL-3.0-or-later
#include "inspector/stills_section.h"

#include <algorithm>

#include "inspector/compact_table.h"
#include "workflow/still_work.h"

namespace va {

StillsSection::StillsSection(Document& document, StillEdits& edits, const QMap<QString, QAction*>& actions)
    : Page(tr("Reference stills"), Kind::section), document_(document), edits_(edits) {
    buttons({actions["addStills"], actions["findStillMarks"], actions["removeStill"]});
    table_ = compactTable("referenceStills", tr("Reference stills"), {tr("Still"), tr("Marks"), tr("px")});
    table_->setToolTip(
        tr("Photos of the same place, with their marks and error. Ticked: used by the solve. The chosen "
           "one is shown over the plate."));
    insert(table_);
    focal_ = number(tr("Focal length"), 1, tr("px"));
    focal_->setObjectName("stillFocal");
    focal_->setToolTip(tr("Of the chosen still, where it is known from elsewhere; 0 = not known"));
    note_ = note();
    note_->setObjectName("stillsNote");
    connect(table_, &QTableWidget::itemChanged, this, [this](QTableWidgetItem* item) {
        if (!refreshing_ && item->column() == 0)
            edits_.setOn(item->data(Qt::UserRole).toInt(), item->checkState() == Qt::Checked);
    });
    connect(table_, &QTableWidget::currentCellChanged, this, [this](int row, int, int, int) {
        if (refreshing_ || row < 0) return;
        edits_.show(table_->item(row, 0)->data(Qt::UserRole).toInt());
    });
    connect(focal_, &NumberField::edited, this, [this](double v) { edits_.setFocal(edits_.shown(), v); });
    connect(&edits_, &StillEdits::changed, this, &StillsSection::refresh);
}

void StillsSection::refresh() {
    if (refreshing_) return;
    refreshing_ = true;
    const Shot& s = document_.shot();
    table_->setRowCount(int(s.stills.size()));
    int current = -1;
    for (int i = 0; i < table_->rowCount(); ++i) {
        const ReferenceStill& still = s.stills[size_t(i)];
        auto* name = setCell(table_, i, 0, QString::fromStdString(still.name));
        name->setFlags(name->flags() | Qt::ItemIsUserCheckable);
        name->setCheckState(still.on ? Qt::Checked : Qt::Unchecked);
        name->setData(Qt::UserRole, still.id);
        name->setToolTip(QString::fromStdString(still.file));
        setCell(table_, i, 1, QString::number(still.marks.size()), true);
        const auto solved = std::find_if(s.solve->stills.begin(), s.solve->stills.end(),
                                         [&](const SolvedStill& x) { return x.id == still.id; });
        const bool joined = solved != s.solve->stills.end() && solved->solved;
        setCell(table_, i, 2, joined ? QString::number(solved->rmsPx, 'f', 2) : QString("–"), true);
        if (still.id == edits_.shown()) current = i;
    }
    table_->setCurrentCell(current, 0);
    fitRows(table_, 4);
    const ReferenceStill* still = s.still(edits_.shown());
    focal_->parentWidget()->setVisible(still != nullptr);
    if (still) focal_->setValue(still->focalPx.value_or(0));
    note_->setText(s.stills.empty() ? tr("Photos of the same place from a few steps aside give depth to a nodal pan, a "
                                         "locked-off camera or a single photo.")
                   : still          ? QString::fromStdString(stillVerdict(s, *still))
                                    : tr("Choose a still to see it over the plate and to mark features in it."));
    refreshing_ = false;
}

}  // namespace va
