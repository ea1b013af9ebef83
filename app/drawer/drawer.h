// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QLabel>
#include <QPlainTextEdit>
#include <QTabWidget>
#include <QTableView>

#include "drawer/feature_model.h"

namespace va {

/// Folds away below the strip: the table of features, in step with the views, and the log.
class Drawer : public QTabWidget {
    Q_OBJECT
  public:
    explicit Drawer(Document& document, QWidget* parent = nullptr);
    void log(const QString& line);
    [[nodiscard]] QTableView* table() const { return table_; }

  private:
    void showSelection();
    void count();
    Document& document_;
    FeatureModel* model_;
    QTableView* table_;
    QPlainTextEdit* log_;
    QLabel* counts_;
    bool following_ = false;
};

}  // namespace va
