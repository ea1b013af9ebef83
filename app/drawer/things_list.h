// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QComboBox>
#include <QFrame>
#include <QLineEdit>
#include <QTreeWidget>

#include "document/layout_edits.h"

namespace va {

/// A tree whose rows can be dragged onto each other; what a drop means is told, not done.
class ThingsTree : public QTreeWidget {
    Q_OBJECT
  public:
    using QTreeWidget::QTreeWidget;

  Q_SIGNALS:
    /// `parent` 0: beside the things that hang on the world.
    void hungOn(const QSet<int>& things, int parent);

  protected:
    void dropEvent(QDropEvent* event) override;
};

/// All things: as a tree by what hangs on what, or in collections by kind or by what they hang on. Eye and lock,
/// search, several at a time, a drag hangs one on another.
class ThingsList : public QFrame {
    Q_OBJECT
  public:
    ThingsList(Document& document, LayoutEdits& edits, QWidget* parent = nullptr);
    [[nodiscard]] QTreeWidget* tree() const { return tree_; }

  private:
    void refresh();
    void showSelection();
    void fillRow(QTreeWidgetItem* item, const Thing& thing);
    void filter();
    Document& document_;
    LayoutEdits& edits_;
    ThingsTree* tree_;
    QComboBox* by_;
    QLineEdit* search_;
    quint64 shown_ = 0;
    bool syncing_ = false;
};

}  // namespace va
