// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QLabel>
#include <QLineEdit>
#include <QPlainTextEdit>
#include <QStackedWidget>
#include <QTableView>

#include "drawer/curves.h"
#include "drawer/feature_model.h"
#include "drawer/prune_panel.h"
#include "drawer/stick_panel.h"
#include "drawer/things_list.h"

namespace va {

/// Stays folded until it is called, and covers the lower part of the views then: the table of features and their
/// curves, in step with the views, the rules for pruning, the log, the list of things and the stick strip.
class Drawer : public QStackedWidget {
    Q_OBJECT
  public:
    enum class Part { table, curves, prune, log, things, stick };
    Drawer(Document& document, FeatureEdits& edits, LayoutEdits& layout, SlipWatch& slip, QWidget* parent = nullptr);
    void showPart(Part part);
    [[nodiscard]] Part part() const { return Part(currentIndex()); }
    void log(const QString& line);
    [[nodiscard]] QTableView* table() const { return table_; }
    [[nodiscard]] FeatureModel* model() const { return model_; }
    [[nodiscard]] Curves* curves() const { return curves_; }
    [[nodiscard]] ThingsList* things() const { return things_; }
    [[nodiscard]] StickPanel* stick() const { return stick_; }

  private:
    QWidget* makeTable();
    void showSelection();
    void count();
    Document& document_;
    FeatureModel* model_;
    QTableView* table_;
    Curves* curves_;
    ThingsList* things_;
    StickPanel* stick_;
    QPlainTextEdit* log_;
    QLabel* counts_;
    bool syncing_ = false;
};

}  // namespace va
