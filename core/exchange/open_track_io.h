// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "exchange/foreign_scene.h"

namespace va {

/// A camera's samples in the JSON of OpenTrackIO (SMPTE RIS On-Set Virtual Production), a list or one a line: Z up and
/// metres there, given back with Y up. Throws InputError naming `source`.
ForeignScene readOpenTrackIo(const std::string& content, const std::string& source);

}  // namespace va
