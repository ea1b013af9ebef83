// SPDX-License-Identifier: GPL-3.0-or-later
#include "inspector/keys_section.h"

namespace va {

KeysSection::KeysSection(Document& document, LayoutEdits& edits, const QMap<QString, QAction*>& actions)
    : Page(tr("Keys"), Kind::section), document_(document), edits_(edits) {
    buttons({actions["setKey"], actions["keyVisible"], actions["keyColour"]});
    buttons({actions["removeKey"], actions["copyKeys"], actions["pasteKeys"]});
    between_ = choice(tr("To the next key"), {tr("Hold"), tr("Linear"), tr("Smooth")});
    before_ = choice(tr("Before the first"), {tr("Hold"), tr("Go on"), tr("Repeat")});
    after_ = choice(tr("After the last"), {tr("Hold"), tr("Go on"), tr("Repeat")});
    between_->setObjectName("keysBetween"), before_->setObjectName("keysBefore"), after_->setObjectName("keysAfter");
    shift_ = number(tr("Shift all by"), 0, tr("f"));
    shift_->setObjectName("keysShift");
    stretch_ = number(tr("Stretch all by"), 2, QStringLiteral("×"));
    stretch_->setObjectName("keysStretch");
    stretch_->setValue(1);
    note_ = note();
    note_->setObjectName("keysNote");
    connect(between_, &QComboBox::activated, this, [this](int i) { edits_.setBetween(Between(i)); });
    connect(before_, &QComboBox::activated, this, [this](int i) { edits_.setOutside(nullptr, false, Outside(i)); });
    connect(after_, &QComboBox::activated, this, [this](int i) { edits_.setOutside(nullptr, true, Outside(i)); });
    connect(shift_, &NumberField::edited, this, [this](double v) {
        edits_.shiftKeys(int(std::lround(v)));
        shift_->reset(0);
    });
    connect(stretch_, &NumberField::edited, this, [this](double v) {
        edits_.stretchKeys(v);
        stretch_->reset(1);
    });
    for (auto signal : {&Document::shotChanged, &Document::selectionChanged})
        connect(&document_, signal, this, &KeysSection::refreshKeys);
    connect(&document_, &Document::frameChanged, this, &KeysSection::refreshKeys);
    refreshKeys();
}

void KeysSection::refreshKeys() {
    const Thing* t = edits_.current();
    const std::vector<int> frames = t ? keyFrames(*t) : std::vector<int>();
    for (QWidget* w : {static_cast<QWidget*>(between_), static_cast<QWidget*>(before_), static_cast<QWidget*>(after_),
                       static_cast<QWidget*>(shift_), static_cast<QWidget*>(stretch_)})
        w->setEnabled(!frames.empty());
    if (frames.empty())
        return note_->setText(t ? tr("No keys: the thing stands. K sets one of position, rotation and scale here.")
                                : tr("Select a thing to give it keys."));
    QStringList words;
    for (size_t i = 0; i < frames.size() && i < 6; ++i) words << QString::number(frames[i]);
    if (frames.size() > 6) words << tr("… %1").arg(frames.back());
    note_->setText(tr("Keys at %1. Moving the thing in another frame sets one there.").arg(words.join(", ")));
    bool first = true;
    ThingKeys::each(t->keys, [&](const char*, const char*, const auto& animated) {
        if (animated.empty() || !first) return;
        first = false;
        before_->setCurrentIndex(int(animated.before));
        after_->setCurrentIndex(int(animated.after));
        const auto* key = animated.keys.atOrBefore(document_.frame());
        between_->setCurrentIndex(int((key ? *key : animated.keys.front()).between));
    });
}

}  // namespace va
