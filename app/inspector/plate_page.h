// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QLineEdit>

#include "document/document.h"
#include "inspector/page.h"
#include "inspector/plate_choices.h"

namespace va {

/// The step Plate: what the files say of themselves, and what the artist says instead.
class PlatePage : public Page {
    Q_OBJECT
  public:
    explicit PlatePage(const PageContext& context);
    void refresh() override;

  private:
    Document& document_;
    QLabel *format_, *size_, *bits_, *colour_, *frames_, *camera_, *focal_, *note_;
    NumberField *aspect_, *in_, *out_;
    QLineEdit* rate_;
    PlateChoices* choices_;
};

}  // namespace va
