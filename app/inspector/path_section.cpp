// SPDX-License-Identifier: GPL-3.0-or-later
#include "inspector/path_section.h"

#include "solve/path_edits.h"

namespace va {

PathSection::PathSection(Document& document, const QMap<QString, QAction*>& actions)
    : Page(tr("Camera path"), Kind::section), document_(document) {
    buttons({actions["leaveOutFrame"], actions["fillGaps"]});
    from_ = number(tr("Smooth from"), 0, {});
    to_ = number(tr("to"), 0, {});
    width_ = number(tr("Width"), 1, tr("fr"));
    width_->setObjectName("smoothWidth");
    width_->setValue(2);
    buttons({actions["smoothPath"], actions["clearPathEdits"]});
    note_ = note();
    note_->setObjectName("pathNote");
    const auto keep = [this](double) { range_ = {0, -1}; };
    connect(from_, &NumberField::edited, this, keep);
    connect(to_, &NumberField::edited, this, keep);
    connect(width_, &NumberField::edited, this, [this](double v) { width_->setValue(v); });
}

void PathSection::refresh() {
    const Shot& s = document_.shot();
    if (range_ != s.range && (range_.count() > 0 || from_->value() == 0)) {
        range_ = s.range;
        from_->setValue(range_.first);
        to_->setValue(range_.last);
    }
    if (s.pathEdits.empty())
        return note_->setText(
            tr("A single bad frame can be left out, gaps filled, jitter smoothed. What is not solved "
               "stays marked, here, on the strip and in the export."));
    const PathEditCost cost = costOfPathEdits(*s.solve, *s.paths, s.range);
    const QString moves = QString::number(cost.movesPx, 'f', 2);
    QString text = cost.frames == 1
                       ? tr("1 frame is not as solved. It moves the picture by %1 px").arg(moves)
                       : tr("%1 frames are not as solved. They move the picture by %2 px").arg(cost.frames).arg(moves);
    if (cost.fitAfterPx >= 0)
        text += cost.fitBeforePx >= 0
                    ? tr("; fit there %1 → %2 px").arg(cost.fitBeforePx, 0, 'f', 2).arg(cost.fitAfterPx, 0, 'f', 2)
                    : tr("; fit there %1 px").arg(cost.fitAfterPx, 0, 'f', 2);
    note_->setText(text + QStringLiteral("."));
}

}  // namespace va
