// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <cstddef>
#include <cstdint>
#include <nlohmann/json.hpp>

#include "media/plate_source.h"

namespace va {

/// Messages between the program and the process that reads a plate for it: a length of four bytes, then CBOR (RFC
/// 8949), over a socket. Pixels go through memory that both share.

/// Sends a message. False when the other side is gone.
bool sendMessage(int socket, const nlohmann::json& message);
/// Waits up to `milliseconds` (−1: for ever). Gives 1 with a message, 0 when the time is over, −1 when the other side
/// is gone or talks nonsense.
int receiveMessage(int socket, nlohmann::json& message, int milliseconds);

nlohmann::json infoToMessage(const PlateInfo& info);
PlateInfo infoFromMessage(const nlohmann::json& message);
nlohmann::json maskToMessage(const DamageMask& mask);
DamageMask maskFromMessage(const nlohmann::json& message);
nlohmann::json overridesToMessage(const PlateOverrides& overrides);
PlateOverrides overridesFromMessage(const nlohmann::json& message);

/// Memory of both processes, by the file descriptor that stands for it.
class SharedMemory {
  public:
    explicit SharedMemory(int descriptor) : descriptor_(descriptor) {}
    ~SharedMemory();
    SharedMemory(const SharedMemory&) = delete;
    SharedMemory& operator=(const SharedMemory&) = delete;
    /// At least `bytes` of it, mapped; null where there is no memory left. Grows the memory behind it.
    void* map(size_t bytes);

  private:
    int descriptor_;
    void* at_ = nullptr;
    size_t size_ = 0;
};

}  // namespace va
