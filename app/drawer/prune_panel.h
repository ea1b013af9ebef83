// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QCheckBox>
#include <QFrame>
#include <QLabel>
#include <QPushButton>
#include <QTimer>

#include "document/feature_edits.h"
#include "inspector/number_field.h"

namespace va {

/// Rules for setting paths aside, with the count they find now and their marks in the views. Nothing is set aside
/// before the button is pressed, and everything can be brought back.
class PrunePanel : public QFrame {
    Q_OBJECT
  public:
    PrunePanel(Document& document, FeatureEdits& edits, QWidget* parent = nullptr);
    [[nodiscard]] PruneRules rules() const;

  protected:
    void showEvent(QShowEvent* event) override;
    void hideEvent(QHideEvent* event) override;

  private:
    void recount();
    Document& document_;
    FeatureEdits& edits_;
    struct Rule {
        QCheckBox* on;
        NumberField* value;  ///< null for rules without one
    };
    std::vector<Rule> rules_;
    QCheckBox* byHandToo_;
    QLabel* count_;
    QPushButton* prune_;
    QTimer later_;  ///< counting thousands of paths waits until the artist pauses
};

}  // namespace va
