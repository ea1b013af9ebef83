// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "document/background.h"
#include "document/layout_edits.h"

namespace va {

/// After a thing was put on a surface, the plate's own pictures say where that surface is to a tenth of a pixel: the
/// thing is moved along the line of sight of the frame it was placed in, in the background, as part of the same edit.
/// Things that move, that hang on something else than a surface or the ground, or that were moved meanwhile, stay.
class SettlePlace : public QObject {
    Q_OBJECT
  public:
    SettlePlace(Document& document, LayoutEdits& edits);
    void settle(int thing);
    [[nodiscard]] bool busy() const { return background_.running(); }

  Q_SIGNALS:
    /// A thing was moved, or could not be; `sentence` says which.
    void settled(const QString& sentence);

  private:
    void start(int thing);
    Document& document_;
    Background background_;
    int next_ = 0;  ///< id of the thing that waits for the one before
};

}  // namespace va
