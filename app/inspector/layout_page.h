// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <array>
#include <functional>
#include <vector>

#include "document/document.h"
#include "inspector/page.h"

namespace va {

/// The Layout step: the selected thing. Its own rows are made from what its kind says of itself.
class LayoutPage : public Page {
    Q_OBJECT
  public:
    explicit LayoutPage(const PageContext& context);
    void refresh() override;

  private:
    struct FieldRow {
        size_t kind, field;  ///< positions in the tables
        QWidget* row;
        NumberField* number;
    };
    void editThing(const QString& name, const std::function<void(Thing&)>& change);
    void buildPlace();
    void buildFields();

    Document& document_;
    QLabel *kind_, *note_;
    QLineEdit* name_;
    std::array<NumberField*, 3> position_;
    NumberField* heading_;
    std::vector<FieldRow> fields_;
};

}  // namespace va
