// SPDX-License-Identifier: GPL-3.0-or-later
#include "inspector/refine_section.h"

#include <QHeaderView>

#include "base/text.h"
#include "solve/report/solve_errors.h"

namespace va {

RefineSection::RefineSection(Document& document, const QMap<QString, QAction*>& actions)
    : Page(tr("What fits badly"), Kind::openSection), document_(document) {
    worst_ = new QTableWidget(0, 3);
    worst_->setObjectName("worstFeatures");
    worst_->setAccessibleName(tr("Worst features"));
    worst_->setToolTip(tr("The features that fit worst. A click selects one and goes to its worst frame."));
    worst_->setHorizontalHeaderLabels({tr("Feature"), tr("px"), tr("Worst at")});
    worst_->verticalHeader()->hide();
    worst_->verticalHeader()->setDefaultSectionSize(20);
    worst_->horizontalHeader()->setSectionResizeMode(QHeaderView::Stretch);
    worst_->setEditTriggers(QAbstractItemView::NoEditTriggers);
    worst_->setSelectionBehavior(QAbstractItemView::SelectRows);
    worst_->setShowGrid(false);
    worst_->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    worst_->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Fixed);
    worst_->setFixedHeight(108);
    insert(worst_);
    frames_ = read(tr("Frames"));
    frames_->setObjectName("badFrames");
    map_ = read(tr("Over the picture"));
    map_->setObjectName("errorMapNumber");
    map_->setToolTip(
        tr("Mean error by picture region over its noise: about 1 = noise, above 3 = the lens model does not fit"));
    buttons({actions["refine"], actions["nextBadFrame"], actions["errorMap"]});
    report_ = note();
    report_->setObjectName("refineReport");
    connect(worst_, &QTableWidget::cellClicked, this, [this](int row, int) {
        document_.selectPaths({worst_->item(row, 0)->data(Qt::UserRole).toInt()});
        document_.setFrame(worst_->item(row, 2)->data(Qt::UserRole).toInt());
    });
}

void RefineSection::refresh() {
    const Shot& s = document_.shot();
    report_->setText(s.refineReport.empty() ? QString() : QString::fromStdString(s.refineReport));
    report_->setVisible(!s.refineReport.empty());
    if (s.solve == shown_) return;
    shown_ = s.solve;
    const auto worst = worstPoints(*s.solve, 12);
    worst_->setRowCount(int(worst.size()));
    for (int row = 0; row < worst_->rowCount(); ++row) {
        const SolvedPoint& p = worst[size_t(row)];
        const Path* path = s.path(p.pathId);
        auto* name = new QTableWidgetItem(path && !path->name.empty() ? QString::fromStdString(path->name)
                                                                      : QString::number(p.pathId));
        name->setData(Qt::UserRole, p.pathId);
        auto* px = new QTableWidgetItem(QString::number(p.rmsPx, 'f', 2));
        auto* at = new QTableWidgetItem(QString::number(p.worstFrame));
        at->setToolTip(tr("%1 px there").arg(p.worstPx, 0, 'f', 2));
        at->setData(Qt::UserRole, p.worstFrame);
        worst_->setItem(row, 0, name);
        worst_->setItem(row, 1, px);
        worst_->setItem(row, 2, at);
    }
    worst_->setVisible(!worst.empty());
    const auto bad = badFrames(*s.solve);
    frames_->setText(!s.solve->has() ? QStringLiteral("–")
                     : bad.empty()   ? tr("none stands out")
                                     : QString::fromStdString(describeRanges(bad)));
    const ErrorMap map = errorMap(solveErrors(*s.solve, *s.paths), s.plate.width, s.plate.height);
    map_->setText(map.meanPx > 0 ? tr("%1 px · %2 ×").arg(map.meanPx, 0, 'f', 3).arg(map.overChance, 0, 'f', 1)
                                 : QStringLiteral("–"));
}

}  // namespace va
