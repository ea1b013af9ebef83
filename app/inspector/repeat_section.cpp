// SPDX-License-Identifier: GPL-3.0-or-later
#include "inspector/repeat_section.h"

#include <algorithm>
#include <cmath>

namespace va {

RepeatSection::RepeatSection(Document& document, LayoutEdits& edits)
    : Page(tr("Repeat"), Kind::section), document_(document) {
    count_ = number(tr("Copies"), 0, QStringLiteral(" "));
    count_->setObjectName("repeatCount");
    count_->setValue(3);
    const QString axes[3] = {tr("Step X"), tr("Step Y"), tr("Step Z")};
    for (int k = 0; k < 3; ++k) {
        step_[size_t(k)] = number(axes[k], 3, tr("unit"));
        step_[size_t(k)]->setLengths(true);
        step_[size_t(k)]->setObjectName(QStringLiteral("repeatStep%1").arg(k));
        step_[size_t(k)]->setValue(k == 0 ? 1 : 0);
    }
    around_ = number(tr("Around"), 1, tr("°"));
    around_->setValue(360);
    auto* line = new QWidget;
    auto* in = new QHBoxLayout(line);
    in->setContentsMargins(0, 4, 0, 2);
    in->setSpacing(6);
    const auto copies = [this] { return std::clamp(int(std::lround(count_->value())), 0, 1000); };
    const auto button = [&](const char* name, const QString& word, const QString& tip,
                            const std::function<void()>& run) {
        auto* b = new QPushButton(word);
        b->setObjectName(QLatin1String(name));
        b->setToolTip(tip);
        connect(b, &QPushButton::clicked, this, run);
        in->addWidget(b);
    };
    button("repeatByStep", tr("By step"), tr("Copies of the selected thing, each a step on"), [this, copies, &edits] {
        edits.repeatByStep(copies(), {step_[0]->value(), step_[1]->value(), step_[2]->value()});
    });
    button("repeatAlong", tr("Along"), tr("At even steps from one selected feature to the other"),
           [copies, &edits] { edits.repeatAlongFeatures(copies()); });
    button("repeatAround", tr("Around"), tr("About the upright through the origin of what it hangs on"),
           [this, copies, &edits] { edits.repeatAround(copies(), around_->value()); });
    in->addStretch();
    insert(line);
}

}  // namespace va
