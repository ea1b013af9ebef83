// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "inspector/page.h"

namespace va {

/// The step Proof: how to judge whether things stick.
class ProofPage : public Page {
    Q_OBJECT
  public:
    explicit ProofPage(const PageContext& context);
};

}  // namespace va
