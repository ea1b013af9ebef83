// SPDX-License-Identifier: GPL-3.0-or-later
#include "inspector/chart_section.h"

#include <QFileInfo>
#include <QHeaderView>

namespace va {

ChartSection::ChartSection(Document& document, const QMap<QString, QAction*>& actions)
    : Page(tr("Lens chart"), Kind::part), document_(document) {
    buttons({actions["chartStills"], actions["calibrateChart"], actions["takeChart"]});
    stills_ = new QTableWidget(0, 3);
    stills_->setObjectName("chartStills");
    stills_->setAccessibleName(tr("Stills of the chart"));
    stills_->setHorizontalHeaderLabels({tr("Still"), tr("Corners"), tr("px")});
    stills_->verticalHeader()->hide();
    stills_->verticalHeader()->setDefaultSectionSize(20);
    stills_->horizontalHeader()->setSectionResizeMode(0, QHeaderView::Stretch);
    stills_->setColumnWidth(1, 58);
    stills_->setColumnWidth(2, 48);
    stills_->setEditTriggers(QAbstractItemView::NoEditTriggers);
    stills_->setSelectionMode(QAbstractItemView::NoSelection);
    stills_->setShowGrid(false);
    stills_->setTextElideMode(Qt::ElideMiddle);
    stills_->setWordWrap(false);
    stills_->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    stills_->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Fixed);
    stills_->setFixedHeight(132);
    insert(stills_);
    plot_ = new ResidualPlot;
    insert(plot_);
    rms_ = read(tr("Fit"), tr("px"));
    numbers_ = new QLabel;
    numbers_->setObjectName("chartNumbers");
    numbers_->setTextInteractionFlags(Qt::TextSelectableByMouse);
    insert(numbers_);
    note_ = note();
    note_->setObjectName("chartNote");
}

void ChartSection::refresh() {
    const Shot& s = document_.shot();
    const ChartCalibration& c = *s.chart;
    stills_->setRowCount(int(s.chartStills.size()));
    for (int i = 0; i < stills_->rowCount(); ++i) {
        const QString name = QFileInfo(QString::fromStdString(s.chartStills[size_t(i)])).fileName();
        const auto found = std::find_if(c.stills.begin(), c.stills.end(),
                                        [&](const auto& still) { return QString::fromStdString(still.name) == name; });
        const bool has = found != c.stills.end();
        const QString words[3] = {
            name,
            has                 ? tr("%1/%2").arg(found->used).arg(found->corners)
            : !c.stills.empty() ? tr("none")
                                : QString("–"),
            has ? found->aside ? tr("left out") : QString::number(found->rmsPx, 'f', 3) : QString("–")};
        for (int k = 0; k < 3; ++k) {
            auto* item = new QTableWidgetItem(words[k]);
            item->setTextAlignment(k == 0 ? Qt::AlignLeft | Qt::AlignVCenter : Qt::AlignRight | Qt::AlignVCenter);
            item->setToolTip(QString::fromStdString(s.chartStills[size_t(i)]));
            stills_->setItem(i, k, item);
        }
    }
    stills_->setVisible(!s.chartStills.empty());
    plot_->show(s.chart);
    rms_->setText(c.stills.empty() ? QString("–") : QString::number(c.rmsPx, 'f', 3));
    QStringList rows;
    for (const LensNumber& n : c.uncertainty) {
        const int digits = n.name == "focal" || n.name.starts_with("principal") ? 2 : 5;
        rows << tr("<tr><td>%1 </td><td align=right>%2</td><td align=right>&nbsp;± %3</td></tr>")
                    .arg(QString::fromStdString(n.name),
                         QString::number(n.value, 'f', digits).replace('-', QChar(0x2212)),
                         QString::number(n.sigma, 'f', digits));
    }
    numbers_->setText(rows.isEmpty() ? QString() : "<table width=100%>" + rows.join(QString()) + "</table>");
    QStringList notes;
    if (s.chartStills.empty())
        notes << tr(
            "Ten or more stills of a checkerboard or a grid of dots, taken with the shot's lens, focal length "
            "and focus, tilted to all sides and brought into the frame's corners.");
    if (!c.trouble.empty()) notes << QString::fromStdString(c.trouble);
    for (const auto& w : c.warnings) notes << QString::fromStdString(w);
    note_->setText(notes.join("\n\n"));
}

}  // namespace va
