// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <string>
#include <vector>

#include "base/progress.h"

namespace va {

/// A picture as the decoder gave it out.
struct DecodedPicture {
    int ordinal = -1;   ///< of the packet it came from
    bool whole = true;  ///< the decoder did not have to patch it up
};

/// Pictures in the order in which the decoder gives them out, from the first packet on, until `pictures` came out or
/// the movie ends. Contents are not computed where the decoder can leave that out. `rejected`, where given, takes the
/// ordinals that the decoder gave an error for.
std::vector<DecodedPicture> decodeOrder(const std::string& path, int stream, int pictures, Progress* progress,
                                        std::vector<int>* rejected = nullptr);

}  // namespace va
