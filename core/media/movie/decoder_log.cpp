// SPDX-License-Identifier: GPL-3.0-or-later
#include "media/movie/decoder_log.h"

#include <cstdarg>
#include <cstdio>
#include <set>
#include <string_view>

namespace va {
namespace {

struct Listeners {
    std::mutex mutex;
    std::set<void*> all;
};
Listeners& listeners() {
    // Never taken down: plates that are kept open until the program ends come back here, whatever was made first.
    static auto& l = *new Listeners;
    return l;
}

}  // namespace

void DecoderLog::takeOver() {
    static std::once_flag once;
    std::call_once(once, [] { av_log_set_callback(&DecoderLog::listen); });
}

DecoderLog::DecoderLog() {
    takeOver();
    const std::scoped_lock lock(listeners().mutex);
    listeners().all.insert(this);
}

DecoderLog::~DecoderLog() {
    const std::scoped_lock lock(listeners().mutex);
    listeners().all.erase(this);
}

void DecoderLog::attach(AVCodecContext& decoder) { decoder.opaque = this; }

void DecoderLog::listen(void* object, int level, const char* format, va_list arguments) {
    // A slice that ends too early is no error to libav: it fills the rest from neighbours and says so in passing. What
    // it notes in the picture's flags gets lost now and then between frame threads.
    const bool complaint = level <= AV_LOG_ERROR || std::string_view(format).starts_with("concealing");
    if (!complaint || !object || *static_cast<const AVClass**>(object) != avcodec_get_class()) return;
    const auto* decoder = static_cast<const AVCodecContext*>(object);
    const std::scoped_lock lock(listeners().mutex);
    if (!listeners().all.contains(decoder->opaque)) return;
    auto* self = static_cast<DecoderLog*>(decoder->opaque);
    char line[256];
    std::vsnprintf(line, sizeof line, format, arguments);
    const std::scoped_lock own(self->mutex_);
    self->lines_.emplace(int(decoder->reordered_opaque), line);
}

void DecoderLog::add(int packet, const std::string& complaint) {
    const std::scoped_lock lock(mutex_);
    lines_.emplace(packet, complaint);
}

std::string DecoderLog::about(int packet) const {
    const std::scoped_lock lock(mutex_);
    const auto found = lines_.find(packet);
    return found == lines_.end() ? std::string() : found->second;
}

void DecoderLog::forgetFrom(int packet) {
    const std::scoped_lock lock(mutex_);
    lines_.erase(lines_.lower_bound(packet), lines_.end());
}

bool DecoderLog::anyWithin(int first, int last) const {
    const std::scoped_lock lock(mutex_);
    const auto found = lines_.lower_bound(first);
    return found != lines_.end() && found->first <= last;
}

}  // namespace va
