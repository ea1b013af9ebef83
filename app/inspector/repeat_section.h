// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <array>

#include "document/layout_edits.h"
#include "inspector/page.h"

namespace va {

/// Copies of the selected thing at even steps.
class RepeatSection : public Page {
    Q_OBJECT
  public:
    RepeatSection(Document& document, LayoutEdits& edits);

  private:
    Document& document_;
    NumberField *count_, *around_;
    std::array<NumberField*, 3> step_{};
};

}  // namespace va
