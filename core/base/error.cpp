// SPDX-License-Identifier: GPL-3.0-or-later
#include "base/error.h"

namespace va {
Error::Error(const std::string& sentence, std::string detail)
    : std::runtime_error(sentence), detail_(std::move(detail)) {}
}  // namespace va
