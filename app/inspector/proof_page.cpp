// SPDX-License-Identifier: GPL-3.0-or-later
#include "inspector/proof_page.h"

namespace va {

ProofPage::ProofPage(const PageContext&) : Page(tr("Proof")) {
    note()->setText(
        tr("Things are drawn over the plate with the solved camera and lens. Look at the first frame, the last and "
           "some between: does it stick?"));
}

}  // namespace va
