// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QDialog>
#include <QLineEdit>
#include <QListWidget>

namespace va {

/// The search-the-actions box: type a part of a name, Enter runs the first match.
class ActionSearch : public QDialog {
    Q_OBJECT
  public:
    ActionSearch(const QList<QAction*>& actions, QWidget* parent);

  protected:
    bool eventFilter(QObject* watched, QEvent* event) override;

  private:
    void filter(const QString& words);
    void run();
    QList<QAction*> actions_;
    QLineEdit* field_;
    QListWidget* list_;
};

}  // namespace va
