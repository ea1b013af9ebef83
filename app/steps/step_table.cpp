// SPDX-License-Identifier: GPL-3.0-or-later
#include "steps/step_table.h"

#include <QCoreApplication>

#include "inspector/export_page.h"
#include "inspector/features_page.h"
#include "inspector/ground_page.h"
#include "inspector/layout_page.h"
#include "inspector/lens_page.h"
#include "inspector/plate_page.h"
#include "inspector/proof_page.h"
#include "inspector/solve_page.h"

namespace va {
namespace {

template <class P>
Page* make(const PageContext& context) {
    return new P(context);
}

}  // namespace

const std::array<StepInfo, stepCount>& stepTable() {
    static const std::array<StepInfo, stepCount> table{{
        {Step::plate, QT_TRANSLATE_NOOP("steps", "Plate"), "stepPlate", "film", false, false, make<PlatePage>},
        {Step::lens, QT_TRANSLATE_NOOP("steps", "Lens"), "stepLens", "aperture", false, false, make<LensPage>},
        {Step::features, QT_TRANSLATE_NOOP("steps", "Features"), "stepFeatures", "scan-search", true, false,
         make<FeaturesPage>},
        {Step::solve, QT_TRANSLATE_NOOP("steps", "Solve"), "stepSolve", "video", true, true, make<SolvePage>},
        {Step::ground, QT_TRANSLATE_NOOP("steps", "Ground"), "stepGround", "ruler", true, true, make<GroundPage>},
        {Step::layout, QT_TRANSLATE_NOOP("steps", "Layout"), "stepLayout", "box", false, true, make<LayoutPage>},
        {Step::proof, QT_TRANSLATE_NOOP("steps", "Proof"), "stepProof", "eye", false, false, make<ProofPage>},
        {Step::exporting, QT_TRANSLATE_NOOP("steps", "Export"), "stepExport", "share", false, false, make<ExportPage>},
    }};
    return table;
}

QString stepName(Step step) { return QCoreApplication::translate("steps", stepTable()[size_t(step)].name); }

}  // namespace va
