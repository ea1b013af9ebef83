// SPDX-License-Identifier: GPL-3.0-or-later
#include "inspector/check_section.h"

#include "inspector/compact_table.h"
#include "workflow/check_points.h"

namespace va {
namespace {

QString offText(const CheckPoint& c, const MeasureReport* report) {
    if (c.measure.paths.empty()) return CheckSection::tr("not assigned");
    if (!c.on) return CheckSection::tr("off");
    if (!report) return QStringLiteral("–");
    if (!report->used) return CheckSection::tr("not used");
    return QString::number(report->off, 'f', 4) +
           (c.measure.kind == PointTie::Kind::rightAngle ? QStringLiteral("°") : QString());
}

}  // namespace

CheckSection::CheckSection(Document& document, SolveEdits& edits, const QMap<QString, QAction*>& actions)
    : Page(tr("Check points"), Kind::section), document_(document), edits_(edits) {
    buttons({actions["addDistance"], actions["addPlace"], actions["addHeight"]});
    buttons({actions["addRightAngle"], actions["addFlat"], actions["readCheckPoints"]});
    table_ = compactTable("checkPoints", tr("Check points"), {tr("Measured"), tr("Missed by")});
    table_->setToolTip(tr("Measured values and the solve's error of each. Ticked: used by the solve."));
    table_->setFixedHeight(110);
    insert(table_);
    length_ = number(tr("Length"), 3, tr("m"));
    length_->setObjectName("checkLength");
    x_ = number(tr("X"), 3, tr("m"));
    y_ = number(tr("Y, height"), 3, tr("m"));
    y_->setObjectName("checkHeight");
    z_ = number(tr("Z"), 3, tr("m"));
    tolerance_ = number(tr("Tolerance"), 3, tr("m"));
    tolerance_->setObjectName("checkTolerance");
    tolerance_->setToolTip(tr("Tolerance: 1σ, in degrees for a right angle; 0 = exact"));
    buttons({actions["assignCheckPoint"], actions["selectCheckPoint"], actions["removeCheckPoint"]});
    note_ = note();
    note_->setObjectName("checkNote");
    connect(table_, &QTableWidget::itemChanged, this, [this](QTableWidgetItem* item) {
        if (refreshing_ || item->column() != 0) return;
        const bool on = item->checkState() == Qt::Checked;
        edits_.changeCheckPoint(on ? tr("Use check point") : tr("Leave check point out"),
                                item->data(Qt::UserRole).toInt(), [on](CheckPoint& c) { c.on = on; });
    });
    connect(table_, &QTableWidget::currentCellChanged, this, [this](int, int, int, int) {
        if (!refreshing_) refreshFields();
    });
    const auto change = [this](const QString& name, auto set) {
        return [this, name, set](double v) {
            if (const int id = current()) edits_.changeCheckPoint(name, id, [&](CheckPoint& c) { set(c.measure, v); });
        };
    };
    connect(length_, &NumberField::edited, this, [this, change](double v) {
        if (!(v > 0)) return Q_EMIT document_.troubled(tr("Distance must be greater than 0."));
        change(tr("Set distance"), [](KnownMeasure& m, double x) { m.length = x; })(v);
    });
    connect(x_, &NumberField::edited, this,
            change(tr("Set place"), [](KnownMeasure& m, double x) { m.target.x() = x; }));
    connect(y_, &NumberField::edited, this,
            change(tr("Set height"), [](KnownMeasure& m, double x) { m.target.y() = x; }));
    connect(z_, &NumberField::edited, this,
            change(tr("Set place"), [](KnownMeasure& m, double x) { m.target.z() = x; }));
    connect(tolerance_, &NumberField::edited, this,
            change(tr("Set tolerance"), [](KnownMeasure& m, double x) { m.tolerance = std::max(0.0, x); }));
}

int CheckSection::current() const {
    const auto* item = table_->currentRow() >= 0 ? table_->item(table_->currentRow(), 0) : nullptr;
    return item ? item->data(Qt::UserRole).toInt() : 0;
}

void CheckSection::refresh() {
    if (refreshing_) return;
    refreshing_ = true;
    const Shot& s = document_.shot();
    const int was = current();
    const bool grown = int(s.checkPoints.size()) > table_->rowCount();
    table_->setRowCount(int(s.checkPoints.size()));
    int row = -1;
    for (int i = 0; i < table_->rowCount(); ++i) {
        const CheckPoint& c = s.checkPoints[size_t(i)];
        auto* name = new QTableWidgetItem(QString::fromStdString(c.name));
        name->setFlags(name->flags() | Qt::ItemIsUserCheckable);
        name->setCheckState(c.on ? Qt::Checked : Qt::Unchecked);
        name->setData(Qt::UserRole, c.id);
        table_->setItem(i, 0, name);
        auto* off = new QTableWidgetItem(offText(c, reportOf(s, c.id)));
        off->setTextAlignment(Qt::AlignRight | Qt::AlignVCenter);
        table_->setItem(i, 1, off);
        if (c.id == was) row = i;
    }
    // A new one is what the fields are wanted for.
    if (grown || row < 0) row = table_->rowCount() - 1;
    if (row >= 0) table_->setCurrentCell(row, 0);
    table_->setVisible(!s.checkPoints.empty());
    refreshing_ = false;
    refreshFields();
}

void CheckSection::refreshFields() {
    const CheckPoint* c = document_.shot().checkPoint(current());
    using Measure = PointTie::Kind;
    const auto kind = c ? c->measure.kind : Measure::distance;
    length_->setEnabled(c && kind == Measure::distance);
    x_->setEnabled(c && kind == Measure::position);
    z_->setEnabled(c && kind == Measure::position);
    y_->setEnabled(c && (kind == Measure::position || kind == Measure::level));
    tolerance_->setEnabled(c);
    length_->setValue(c ? c->measure.length : 0);
    x_->setValue(c ? c->measure.target.x() : 0);
    y_->setValue(c ? c->measure.target.y() : 0);
    z_->setValue(c ? c->measure.target.z() : 0);
    tolerance_->setValue(c ? c->measure.tolerance : 0);
    note_->setText(
        c ? QString::fromStdString(checkPointLine(*c, reportOf(document_.shot(), c->id)))
          : tr("Select features with a known distance, height or position, a flat group or a right angle, or "
               "read positions from a text file with lines \"name x y z\"."));
}

}  // namespace va
