// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QPainter>

#include "document/document.h"
#include "solve/report/solve_errors.h"

namespace va {

class PlateCanvas;

/// Mean residuals over the picture as arrows, two hundred times enlarged, each with a disc that chance alone would
/// fill. The map is kept while the solve stays.
class ErrorMapOverlay {
  public:
    void paint(QPainter& painter, const PlateCanvas& canvas, const Document& document);

  private:
    ErrorMap map_;
    std::shared_ptr<const SolveResult> of_;
};

}  // namespace va
