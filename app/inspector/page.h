// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QAction>
#include <QCheckBox>
#include <QComboBox>
#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <QVBoxLayout>

#include "inspector/number_field.h"

namespace va {

/// One step's page: rows are added from the top.
class Page : public QWidget {
  public:
    explicit Page(const QString& title) : layout_(new QVBoxLayout(this)) {
        setObjectName("page");
        layout_->setContentsMargins(12, 8, 10, 12);
        layout_->setSpacing(2);
        auto* label = new QLabel(title);
        label->setObjectName("title");
        layout_->addWidget(label);
        layout_->addStretch();
    }
    void caption(const QString& text) {
        auto* label = new QLabel(text);
        label->setObjectName("caption");
        label->setContentsMargins(0, 10, 0, 2);
        insert(label);
    }
    void row(const QString& name, QWidget* value, const QString& unit = {}) { insert(labelled(name, value, unit)); }
    /// A value with its label at the left and its unit after it, for a page or a part of one.
    static QWidget* labelled(const QString& name, QWidget* value, const QString& unit = {}) {
        auto* box = new QWidget;
        auto* line = new QHBoxLayout(box);
        line->setContentsMargins(0, 0, 0, 0);
        line->setSpacing(5);
        auto* label = new QLabel(name);
        label->setBuddy(value);
        value->setAccessibleName(name);
        line->addWidget(label);
        line->addStretch();
        line->addWidget(value);
        auto* after = new QLabel(unit);
        after->setObjectName("quiet");
        after->setFixedWidth(unit.isEmpty() ? 0 : 24);
        line->addWidget(after);
        box->setMinimumHeight(24);
        return box;
    }
    QLabel* read(const QString& name, const QString& unit = {}) {
        auto* label = new QLabel;
        label->setTextInteractionFlags(Qt::TextSelectableByMouse);
        label->setAlignment(Qt::AlignRight | Qt::AlignVCenter);
        row(name, label, unit);
        return label;
    }
    NumberField* number(const QString& name, int decimals, const QString& unit) {
        auto* field = new NumberField(decimals);
        row(name, field, unit);
        return field;
    }
    void buttons(const QList<QAction*>& actions) {
        auto* box = new QWidget;
        auto* line = new QHBoxLayout(box);
        line->setContentsMargins(0, 4, 0, 2);
        line->setSpacing(6);
        for (QAction* action : actions) {
            auto* button = new QPushButton(action->iconText());
            button->setToolTip(action->toolTip());
            button->setEnabled(action->isEnabled());
            button->setObjectName(action->objectName() + "Button");
            connect(button, &QPushButton::clicked, action, &QAction::trigger);
            connect(action, &QAction::changed, button, [=] { button->setEnabled(action->isEnabled()); });
            line->addWidget(button);
        }
        line->addStretch();
        insert(box);
    }
    QLabel* note() {
        auto* label = new QLabel;
        label->setObjectName("quiet");
        label->setWordWrap(true);
        label->setContentsMargins(0, 6, 0, 0);
        insert(label);
        return label;
    }
    QComboBox* choice(const QString& name, const QStringList& words) {
        auto* box = new QComboBox;
        box->addItems(words);
        box->setMinimumWidth(112);
        row(name, box);
        return box;
    }
    QCheckBox* check(const QString& name) {
        auto* box = new QCheckBox(name);
        box->setMinimumHeight(22);
        insert(box);
        return box;
    }
    void insert(QWidget* widget) { layout_->insertWidget(layout_->count() - 1, widget); }

  private:
    QVBoxLayout* layout_;
};

}  // namespace va
