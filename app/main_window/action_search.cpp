// SPDX-License-Identifier: GPL-3.0-or-later
#include "main_window/action_search.h"

#include <QAction>
#include <QKeyEvent>
#include <QVBoxLayout>

namespace va {

ActionSearch::ActionSearch(const QList<QAction*>& actions, QWidget* parent)
    : QDialog(parent), actions_(actions), field_(new QLineEdit), list_(new QListWidget) {
    setObjectName("actionSearch");
    setWindowTitle(tr("Search the actions"));
    setWindowFlag(Qt::FramelessWindowHint);
    resize(420, 300);
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(8, 8, 8, 8);
    field_->setObjectName("actionSearchField");
    field_->setPlaceholderText(tr("What do you want to do?"));
    field_->setAccessibleName(windowTitle());
    layout->addWidget(field_);
    layout->addWidget(list_);
    field_->installEventFilter(this);
    connect(field_, &QLineEdit::textChanged, this, &ActionSearch::filter);
    connect(field_, &QLineEdit::returnPressed, this, &ActionSearch::run);
    connect(list_, &QListWidget::itemActivated, this, &ActionSearch::run);
    filter({});
}

bool ActionSearch::eventFilter(QObject* watched, QEvent* event) {
    if (event->type() == QEvent::KeyPress) {
        const int key = static_cast<QKeyEvent*>(event)->key();
        if (key == Qt::Key_Down || key == Qt::Key_Up) {
            const int row = list_->currentRow() + (key == Qt::Key_Down ? 1 : -1);
            list_->setCurrentRow(std::clamp(row, 0, std::max(0, list_->count() - 1)));
            return true;
        }
    }
    return QDialog::eventFilter(watched, event);
}

void ActionSearch::filter(const QString& words) {
    list_->clear();
    const QStringList parts = words.split(' ', Qt::SkipEmptyParts);
    for (QAction* a : actions_) {
        const QString name = a->text().remove('&');
        if (name.isEmpty()) continue;
        const bool all = std::all_of(parts.begin(), parts.end(),
                                     [&](const QString& p) { return name.contains(p, Qt::CaseInsensitive); });
        if (!all) continue;
        const QString key = a->shortcut().toString(QKeySequence::NativeText);
        auto* item = new QListWidgetItem(key.isEmpty() ? name : tr("%1   %2").arg(name, key), list_);
        item->setData(Qt::UserRole, QVariant::fromValue<QObject*>(a));
        if (!a->isEnabled()) item->setForeground(palette().placeholderText());
    }
    list_->setCurrentRow(0);
}

void ActionSearch::run() {
    const QListWidgetItem* item = list_->currentItem();
    if (!item) return;
    auto* action = qobject_cast<QAction*>(item->data(Qt::UserRole).value<QObject*>());
    accept();
    if (action && action->isEnabled()) action->trigger();
}

}  // namespace va
