// SPDX-License-Identifier: GPL-3.0-or-later
#include "strip/sentence_label.h"

#include "style/theme.h"

namespace va {

SentenceLabel::SentenceLabel(QWidget* parent) : QLabel(parent) {
    setWordWrap(true);
    setTextInteractionFlags(Qt::TextSelectableByMouse);
    setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Preferred);
}

void SentenceLabel::say(const QString& sentence) {
    setText(sentence);
    fit();
}

void SentenceLabel::resizeEvent(QResizeEvent* event) {
    QLabel::resizeEvent(event);
    fit();
}

void SentenceLabel::fit() {
    const bool oneLine = QFontMetrics(bodyFont()).horizontalAdvance(text()) <= width() - 2;
    // The style sheet's font wins over setFont().
    const QString size = QStringLiteral("font-size: %1px;").arg(oneLine ? 12 : 11);
    if (styleSheet() != size) setStyleSheet(size);
}

}  // namespace va
