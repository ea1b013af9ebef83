// SPDX-License-Identifier: GPL-3.0-or-later
#include "drawer/prune_panel.h"

#include <QGridLayout>
#include <QHBoxLayout>
#include <QVBoxLayout>
#include <map>

namespace va {
namespace {

enum Which { shorter, ragged, quality, drift, jump, residual, edge, varianceInflation, anisotropy, inMask, crossing };

}  // namespace

PrunePanel::PrunePanel(Document& document, FeatureEdits& edits, QWidget* parent)
    : QFrame(parent),
      document_(document),
      edits_(edits),
      byHandToo_(new QCheckBox(tr("Paths by hand too"))),
      count_(new QLabel),
      prune_(new QPushButton) {
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(12, 4, 12, 4);
    auto* grid = new QGridLayout;
    grid->setHorizontalSpacing(8);
    grid->setVerticalSpacing(2);
    const struct {
        QString text;
        double value;
        int decimals;
        QString unit;
    } rows[] = {{tr("Shorter than"), 15, 0, tr("frames")},
                {tr("Ragged over"), 0.5, 2, tr("px")},
                {tr("Quality under"), 0.93, 2, {}},
                {tr("Drift over"), 0.5, 2, tr("px")},
                {tr("Jumps over"), 2, 1, tr("px")},
                {tr("Residual over"), 1, 2, tr("px")},
                {tr("Nearer to the edge than"), 16, 0, tr("px")},
                {tr("Two surfaces: variance inflation over"), 3, 1, {}},
                {tr("On an edge: anisotropy under"), 0.2, 2, {}},
                {tr("In a mask"), -1, 0, {}},
                {tr("Crosses another path"), -1, 0, {}}};
    for (int i = 0; i < 11; ++i) {
        auto* on = new QCheckBox(rows[i].text);
        on->setObjectName(QStringLiteral("rule%1").arg(i));
        NumberField* value = nullptr;
        const int column = (i % 3) * 4, line = i / 3;
        grid->addWidget(on, line, column);
        if (rows[i].value >= 0) {
            value = new NumberField(rows[i].decimals);
            value->setObjectName(QStringLiteral("rule%1Value").arg(i));
            value->setAccessibleName(rows[i].text);
            value->setFixedWidth(60);
            value->setValue(rows[i].value);
            grid->addWidget(value, line, column + 1);
            auto* unit = new QLabel(rows[i].unit);
            unit->setObjectName("quiet");
            grid->addWidget(unit, line, column + 2);
            connect(value, &NumberField::edited, this, [this] { later_.start(); });
        }
        grid->setColumnMinimumWidth(column + 3, 16);
        connect(on, &QCheckBox::toggled, this, [this] { later_.start(); });
        rules_.push_back({on, value});
    }
    grid->addWidget(byHandToo_, 3, 8);
    layout->addLayout(grid);
    layout->addStretch();
    auto* row = new QHBoxLayout;
    count_->setObjectName("pruneCount");
    prune_->setObjectName("prune");
    row->addWidget(count_);
    row->addStretch();
    row->addWidget(prune_);
    layout->addLayout(row);
    later_.setSingleShot(true);
    later_.setInterval(80);
    connect(&later_, &QTimer::timeout, this, &PrunePanel::recount);
    connect(byHandToo_, &QCheckBox::toggled, this, [this] { later_.start(); });
    connect(prune_, &QPushButton::clicked, this, [this] { edits_.prune(rules()); });
    connect(&document_, &Document::shotChanged, this, [this] {
        if (isVisible()) later_.start();
    });
    recount();
}

PruneRules PrunePanel::rules() const {
    const auto value = [this](Which w) -> std::optional<double> {
        const Rule& r = rules_[size_t(w)];
        return r.on->isChecked() ? std::optional(r.value ? r.value->value() : 1.0) : std::nullopt;
    };
    PruneRules out;
    if (const auto v = value(shorter)) out.shorterThan = int(*v);
    out.raggedOver = value(ragged);
    out.qualityUnder = value(quality);
    out.driftOver = value(drift);
    out.jumpOver = value(jump);
    out.residualOver = value(residual);
    out.nearerToEdge = value(edge);
    out.varianceInflationOver = value(varianceInflation);
    out.anisotropyUnder = value(anisotropy);
    out.inMask = value(inMask).has_value();
    out.crossing = value(crossing).has_value();
    out.byHandToo = byHandToo_->isChecked();
    return out;
}

void PrunePanel::recount() {
    const PruneRules r = rules();
    const auto found = pathsToPrune(document_.shot(), r);
    int live = 0;
    for (const Path& p : *document_.shot().paths) live += !p.setAside;
    QSet<int> ids;
    for (const auto& [id, why] : found) ids.insert(id);
    if (isVisible()) document_.setPreviewed(ids);
    count_->setText(!r.any()        ? tr("Choose rules; what they find is struck through in the picture.")
                    : found.empty() ? tr("None of %1 paths").arg(live)
                                    : tr("%1 of %2 paths, struck through in the picture").arg(found.size()).arg(live));
    prune_->setText(found.empty() ? tr("Set aside") : tr("Set %1 aside").arg(found.size()));
    prune_->setEnabled(!found.empty());
}

void PrunePanel::showEvent(QShowEvent*) { recount(); }
void PrunePanel::hideEvent(QHideEvent*) { document_.setPreviewed({}); }

}  // namespace va
