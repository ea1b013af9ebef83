// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QLineEdit>

#include "document/document.h"
#include "inspector/page.h"

namespace va {

/// The step Ground: level, origin, axes and scale of the world.
class GroundPage : public Page {
    Q_OBJECT
  public:
    explicit GroundPage(const PageContext& context);
    void refresh() override;

  private:
    Document& document_;
    QLabel *from_, *fit_, *origin_, *along_, *between_, *unit_, *position_, *note_;
    NumberField* length_;
};

}  // namespace va
