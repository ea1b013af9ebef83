// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QMap>

#include "document/solve_edits.h"
#include "inspector/page.h"

namespace va {

/// The Solve step's part for the camera's path: what is done to it by hand, and what that costs.
class PathSection : public Page {
    Q_OBJECT
  public:
    PathSection(Document& document, const QMap<QString, QAction*>& actions);
    void refresh() override;
    [[nodiscard]] FrameRange frames() const { return {int(from_->value()), int(to_->value())}; }
    [[nodiscard]] double width() const { return width_->value(); }

  private:
    Document& document_;
    NumberField *from_, *to_, *width_;
    QLabel* note_;
    FrameRange range_;
};

}  // namespace va
