// SPDX-License-Identifier: GPL-3.0-or-later
#include "inspector/page.h"

#include <QKeyEvent>
#include <QPainter>
#include <QSettings>

#include "style/theme.h"

namespace va {
namespace {

/// A container without margins, and its layout.
QVBoxLayout* box(QWidget* parent) {
    auto* widget = new QWidget(parent);
    auto* layout = new QVBoxLayout(widget);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(0);
    return layout;
}

}  // namespace

FoldHeader::FoldHeader(const QString& text, const QString& key, bool open, QWidget* body, QWidget* parent)
    : QAbstractButton(parent), body_(body) {
    setText(text);
    setCheckable(true);
    setAccessibleName(tr("Section %1").arg(text));
    setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Fixed);
    body_->setProperty("foldHeader", QVariant::fromValue<QObject*>(this));
    setOpen(QSettings().value(key, open).toBool());
    connect(this, &QAbstractButton::clicked, this, [this, key](bool on) {
        setOpen(on);
        QSettings().setValue(key, on);
    });
}

void FoldHeader::setOpen(bool open) {
    setChecked(open);
    body_->setVisible(open);
}

QSize FoldHeader::sizeHint() const { return {120, 26}; }

bool FoldHeader::event(QEvent* event) {
    if (event->type() == QEvent::ShortcutOverride) {
        const int key = static_cast<QKeyEvent*>(event)->key();
        if (key == Qt::Key_Space || key == Qt::Key_Return) {
            event->accept();
            return true;
        }
    }
    return QAbstractButton::event(event);
}

void FoldHeader::keyPressEvent(QKeyEvent* event) {
    if (event->key() == Qt::Key_Return) click();
    else QAbstractButton::keyPressEvent(event);
}

void FoldHeader::paintEvent(QPaintEvent*) {
    const Theme& theme = Theme::current();
    QPainter painter(this);
    painter.setRenderHint(QPainter::Antialiasing);
    painter.setPen(QPen(theme.lineStrong, 1));
    painter.drawLine(QPointF(0, 2.5), QPointF(width(), 2.5));
    painter.setPen(Qt::NoPen);
    painter.setBrush(underMouse() || hasFocus() ? theme.text : theme.caption);
    const QPointF at(5, 16);
    if (isChecked()) painter.drawPolygon(QPolygonF({at + QPointF(-4, -2), at + QPointF(4, -2), at + QPointF(0, 3)}));
    else painter.drawPolygon(QPolygonF({at + QPointF(-2, -4), at + QPointF(3, 0), at + QPointF(-2, 4)}));
    painter.setFont(captionFont());
    painter.setPen(underMouse() || hasFocus() ? theme.text : theme.caption);
    painter.drawText(QRect(15, 6, width() - 15, 20), Qt::AlignLeft | Qt::AlignVCenter, text());
}

Page::Page(const QString& title, Kind kind) : title_(title), layout_(new QVBoxLayout(this)) {
    setObjectName(kind == Kind::page ? "page" : "section");
    layout_->setSpacing(0);
    layout_->setContentsMargins(0, 0, 0, 0);
    if (kind == Kind::page) layout_->setContentsMargins(12, 8, 10, 12);
    if (kind == Kind::part) layout_->setContentsMargins(0, 8, 0, 0);
    body_ = box(this);
    if (kind == Kind::page || kind == Kind::part) {
        auto* label = new QLabel(title);
        label->setObjectName("title");
        layout_->addWidget(label);
    } else {
        layout_->addWidget(new FoldHeader(title, "fold/" + title, kind == Kind::openSection, body_->parentWidget()));
    }
    layout_->addWidget(body_->parentWidget());
    if (kind == Kind::page) layout_->addStretch();
}

void Page::caption(const QString& text, Fold fold) {
    auto* section = box(this);
    const int at = objectName() == "page" ? layout_->count() - 1 : layout_->count();
    layout_->insertWidget(
        at, new FoldHeader(text, "fold/" + title_ + "/" + text, fold == Fold::open, section->parentWidget()));
    layout_->insertWidget(at + 1, section->parentWidget());
    body_ = section;
}

void Page::insertSection(Page* section) {
    const int at = objectName() == "page" ? layout_->count() - 1 : layout_->count();
    layout_->insertWidget(at, section);
    body_ = box(this);
    layout_->insertWidget(at + 1, body_->parentWidget());
}

void Page::insert(QWidget* widget) { body_->addWidget(widget); }

QWidget* Page::labelled(const QString& name, QWidget* value, const QString& unit) {
    auto* line = new QWidget;
    auto* row = new QHBoxLayout(line);
    row->setContentsMargins(0, 0, 0, 0);
    row->setSpacing(5);
    auto* label = new QLabel(name);
    label->setBuddy(value);
    value->setAccessibleName(name);
    row->addWidget(label);
    row->addStretch();
    row->addWidget(value);
    auto* after = new QLabel(unit);
    after->setObjectName("quiet");
    after->setFixedWidth(unit.isEmpty() ? 0 : 24);
    row->addWidget(after);
    line->setMinimumHeight(24);
    return line;
}

QLabel* Page::read(const QString& name, const QString& unit) {
    auto* label = new QLabel;
    label->setTextInteractionFlags(Qt::TextSelectableByMouse);
    label->setAlignment(Qt::AlignRight | Qt::AlignVCenter);
    row(name, label, unit);
    return label;
}

NumberField* Page::number(const QString& name, int decimals, const QString& unit) {
    auto* field = new NumberField(decimals);
    row(name, field, unit);
    return field;
}

void Page::buttons(const QList<QAction*>& actions) {
    auto* line = new QWidget;
    auto* row = new QHBoxLayout(line);
    row->setContentsMargins(0, 4, 0, 2);
    row->setSpacing(6);
    for (QAction* action : actions) {
        auto* button = new QPushButton(action->iconText());
        button->setToolTip(action->toolTip());
        button->setEnabled(action->isEnabled());
        button->setObjectName(action->objectName() + "Button");
        connect(button, &QPushButton::clicked, action, &QAction::trigger);
        connect(action, &QAction::changed, button, [=] { button->setEnabled(action->isEnabled()); });
        row->addWidget(button);
    }
    row->addStretch();
    insert(line);
}

QLabel* Page::note() {
    auto* label = new QLabel;
    label->setObjectName("quiet");
    label->setWordWrap(true);
    label->setContentsMargins(0, 6, 0, 0);
    insert(label);
    return label;
}

QComboBox* Page::choice(const QString& name, const QStringList& words) {
    auto* box = new QComboBox;
    box->addItems(words);
    box->setMinimumWidth(112);
    row(name, box);
    return box;
}

QCheckBox* Page::check(const QString& name) {
    auto* box = new QCheckBox(name);
    box->setMinimumHeight(22);
    insert(box);
    return box;
}

void unfold(QWidget* widget) {
    for (QWidget* w = widget; w; w = w->parentWidget())
        if (auto* header = qobject_cast<FoldHeader*>(w->property("foldHeader").value<QObject*>()))
            header->setOpen(true);
}

}  // namespace va
