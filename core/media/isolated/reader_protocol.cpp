// SPDX-License-Identifier: GPL-3.0-or-later
#include "media/isolated/reader_protocol.h"

#include <poll.h>
#include <sys/mman.h>
#include <sys/socket.h>
#include <sys/stat.h>
#include <unistd.h>

#include <cerrno>
#include <chrono>
#include <cstring>

namespace va {
namespace {

using nlohmann::json;

constexpr uint32_t largestMessage = 256u << 20;  // times of a very long movie

bool sendAll(int socket, const void* data, size_t size) {
    const char* at = static_cast<const char*>(data);
    while (size > 0) {
        const ssize_t n = ::send(socket, at, size, MSG_NOSIGNAL);
        if (n < 0 && errno == EINTR) continue;
        if (n <= 0) return false;
        at += n;
        size -= size_t(n);
    }
    return true;
}

bool receiveAll(int socket, void* data, size_t size) {
    char* at = static_cast<char*>(data);
    while (size > 0) {
        const ssize_t n = ::recv(socket, at, size, 0);
        if (n < 0 && errno == EINTR) continue;
        if (n <= 0) return false;
        at += n;
        size -= size_t(n);
    }
    return true;
}

json rational(const Rational& r) { return json::array({r.num, r.den}); }
Rational rationalFrom(const json& j) { return {j.at(0).get<int64_t>(), j.at(1).get<int64_t>()}; }
json optional(const std::optional<double>& v) { return v ? json(*v) : json(nullptr); }
std::optional<double> optionalFrom(const json& j) {
    return j.is_null() ? std::nullopt : std::optional<double>(j.get<double>());
}

}  // namespace

bool sendMessage(int socket, const json& message) {
    const std::vector<uint8_t> bytes = json::to_cbor(message);
    const auto size = uint32_t(bytes.size());
    return sendAll(socket, &size, sizeof size) && sendAll(socket, bytes.data(), bytes.size());
}

int receiveMessage(int socket, json& message, int milliseconds) {
    pollfd wait{socket, POLLIN, 0};
    int ready = 0;
    do ready = ::poll(&wait, 1, milliseconds);
    while (ready < 0 && errno == EINTR);
    if (ready == 0) return 0;
    uint32_t size = 0;
    if (ready < 0 || !receiveAll(socket, &size, sizeof size) || size > largestMessage) return -1;
    std::vector<uint8_t> bytes(size);
    if (!receiveAll(socket, bytes.data(), bytes.size())) return -1;
    message = json::from_cbor(bytes, true, false);
    return message.is_discarded() ? -1 : 1;
}

json infoToMessage(const PlateInfo& p) {
    json j{{"spec", p.spec},
           {"size", {p.width, p.height}},
           {"rate", rational(p.rate)},
           {"rate_assumed", p.rateAssumed},
           {"pixel_aspect", rational(p.pixelAspect)},
           {"rotation", p.rotation},
           {"mirrored", p.mirrored},
           {"frames", {p.frames.first, p.frames.last}},
           {"gaps", json::array()},
           {"damaged", json::array()},
           {"format", p.format},
           {"bits", p.bits},
           {"encoding", int(p.encoding)},
           {"still", p.still},
           {"focal", optional(p.focalMm)},
           {"focal35", optional(p.focal35Mm)},
           {"sensor", optional(p.sensorWidthMm)},
           {"zoom", optional(p.digitalZoom)},
           {"maker", p.cameraMaker},
           {"model", p.cameraModel},
           {"lens", p.lensModel},
           {"warnings", p.warnings},
           {"notes", p.notes},
           {"stream", p.stream},
           {"streams", p.streams},
           {"other_series", p.otherSeries},
           {"colour", p.colour},
           {"times", p.times},
           {"stored_frames", p.storedFrames},
           {"interlaced", p.interlaced}};
    for (const FrameRange& g : p.gaps) j["gaps"].push_back({g.first, g.last});
    for (const FrameDamage& d : p.damaged) j["damaged"].push_back({d.frame, d.cause});
    return j;
}

PlateInfo infoFromMessage(const json& j) {
    PlateInfo p;
    p.spec = j.at("spec");
    p.width = j.at("size").at(0);
    p.height = j.at("size").at(1);
    p.rate = rationalFrom(j.at("rate"));
    p.rateAssumed = j.at("rate_assumed");
    p.pixelAspect = rationalFrom(j.at("pixel_aspect"));
    p.rotation = j.at("rotation");
    p.mirrored = j.at("mirrored");
    p.frames = {j.at("frames").at(0), j.at("frames").at(1)};
    for (const json& g : j.at("gaps")) p.gaps.push_back({g.at(0), g.at(1)});
    for (const json& d : j.at("damaged")) p.damaged.push_back({d.at(0).get<int>(), d.at(1).get<std::string>()});
    p.format = j.at("format");
    p.bits = j.at("bits");
    p.encoding = PictureEncoding(j.at("encoding").get<int>());
    p.still = j.at("still");
    p.focalMm = optionalFrom(j.at("focal"));
    p.focal35Mm = optionalFrom(j.at("focal35"));
    p.sensorWidthMm = optionalFrom(j.at("sensor"));
    p.digitalZoom = optionalFrom(j.at("zoom"));
    p.cameraMaker = j.at("maker");
    p.cameraModel = j.at("model");
    p.lensModel = j.at("lens");
    p.warnings = j.at("warnings").get<std::vector<std::string>>();
    p.notes = j.at("notes").get<std::vector<std::string>>();
    p.stream = j.at("stream");
    p.streams = j.at("streams").get<std::vector<int>>();
    p.otherSeries = j.at("other_series").get<std::vector<std::string>>();
    p.colour = j.at("colour");
    p.times = j.at("times").get<std::vector<double>>();
    p.storedFrames = j.at("stored_frames").get<std::vector<int>>();
    p.interlaced = j.at("interlaced");
    return p;
}

json maskToMessage(const DamageMask& m) {
    if (m.empty()) return nullptr;
    return {{"size", {m.columns, m.rows}}, {"squares", json::binary(m.depends)}};
}

DamageMask maskFromMessage(const json& j) {
    DamageMask m;
    if (j.is_null()) return m;
    m.columns = j.at("size").at(0);
    m.rows = j.at("size").at(1);
    m.depends = j.at("squares").get_binary();
    return m;
}

json overridesToMessage(const PlateOverrides& o) {
    return {{"rate", o.rate ? rational(*o.rate) : json(nullptr)},
            {"pixel_aspect", o.pixelAspect ? rational(*o.pixelAspect) : json(nullptr)},
            {"stream", o.stream ? json(*o.stream) : json(nullptr)},
            {"even_times", o.evenTimes}};
}

PlateOverrides overridesFromMessage(const json& j) {
    PlateOverrides o;
    if (!j.at("rate").is_null()) o.rate = rationalFrom(j["rate"]);
    if (!j.at("pixel_aspect").is_null()) o.pixelAspect = rationalFrom(j["pixel_aspect"]);
    if (!j.at("stream").is_null()) o.stream = j["stream"].get<int>();
    o.evenTimes = j.at("even_times");
    return o;
}

SharedMemory::~SharedMemory() {
    if (at_) ::munmap(at_, size_);
}

void* SharedMemory::map(size_t bytes) {
    if (at_ && bytes <= size_) return at_;
    if (at_) ::munmap(at_, size_);
    at_ = nullptr;
    struct stat now {};
    if (::fstat(descriptor_, &now) != 0) return nullptr;
    if (size_t(now.st_size) < bytes && ::ftruncate(descriptor_, off_t(bytes)) != 0) return nullptr;
    void* at = ::mmap(nullptr, bytes, PROT_READ | PROT_WRITE, MAP_SHARED, descriptor_, 0);
    if (at == MAP_FAILED) return nullptr;
    at_ = at;
    size_ = bytes;
    return at_;
}

}  // namespace va
