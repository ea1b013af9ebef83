// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QLabel>
#include <QPlainTextEdit>
#include <QTabWidget>
#include <QTableView>

#include <QLineEdit>

#include "drawer/curves.h"
#include "drawer/feature_model.h"
#include "drawer/prune_panel.h"

namespace va {

/// Folds away below the strip: the table of features and their curves, in step with the views, the rules for pruning,
/// and the log.
class Drawer : public QTabWidget {
    Q_OBJECT
  public:
    Drawer(Document& document, FeatureEdits& edits, QWidget* parent = nullptr);
    void log(const QString& line);
    [[nodiscard]] QTableView* table() const { return table_; }
    [[nodiscard]] FeatureModel* model() const { return model_; }
    [[nodiscard]] Curves* curves() const { return curves_; }

  private:
    void showSelection();
    void count();
    Document& document_;
    FeatureModel* model_;
    QTableView* table_;
    Curves* curves_;
    QPlainTextEdit* log_;
    QLabel* counts_;
    bool following_ = false;
};

}  // namespace va
