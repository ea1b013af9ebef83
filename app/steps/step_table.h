// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QString>
#include <array>

#include "inspector/page.h"
#include "workflow/verdict.h"

namespace va {

/// What the window knows of a step of the route. A new step is a page class and a line in step_table.cpp.
struct StepInfo {
    Step step;
    const char* name;    ///< shown, untranslated
    const char* action;  ///< name of the action that goes there
    const char* icon;    ///< file in style/icons
    bool features;       ///< rings and tails stand over the picture when the step is opened
    bool inset;          ///< the scene view stands over the picture when the step is opened
    Page* (*makePage)(const PageContext& context);
};

/// In the order of the route.
const std::array<StepInfo, stepCount>& stepTable();
/// The step's name in the language of the window.
QString stepName(Step step);

}  // namespace va
