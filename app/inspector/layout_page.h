// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QComboBox>
#include <QLineEdit>
#include <QMenu>
#include <QToolButton>
#include <array>
#include <functional>
#include <vector>

#include "document/layout_edits.h"
#include "inspector/page.h"

namespace va {

class Tray;

/// The Layout step: the tray, and the selected thing. Its own rows are made from what its kind says of itself.
class LayoutPage : public Page {
    Q_OBJECT
  public:
    explicit LayoutPage(const PageContext& context);
    void refresh() override;
    [[nodiscard]] Tray* tray() const { return tray_; }

  private:
    struct FieldRow {
        size_t kind, field;  ///< positions in the tables
        QWidget* row;
        NumberField* number = nullptr;
        QLineEdit* words = nullptr;
        QComboBox* choice = nullptr;
    };
    void editThing(const QString& name, const std::function<void(Thing&)>& change);
    void buildHead();
    void buildPlace();
    void buildFields();
    void addNumber(size_t kind, size_t index, const FieldValue& field);
    void addText(size_t kind, size_t index, const TextValue& field);
    void addChoice(size_t kind, size_t index, const ChoiceValue& field);
    void chooseColour();

    Document& document_;
    LayoutEdits& edits_;
    Tray* tray_;
    void fillTargets(QMenu* menu);
    QToolButton* hangs_;
    QLabel *slip_, *note_;
    QWidget* fileSize_ = nullptr;
    QLineEdit* name_;
    QToolButton* colour_;
    std::array<NumberField*, 3> position_{}, turn_{};
    NumberField *scale_, *over_;
    std::vector<FieldRow> fields_;
    std::vector<QWidget*> rows_;  ///< that stand while a thing is selected
    SlipWatch& slipWatch_;
};

}  // namespace va
