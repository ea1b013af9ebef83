// SPDX-License-Identifier: GPL-3.0-or-later
#include "media/isolated/plate_reader.h"

#include <fcntl.h>
#include <poll.h>
#include <signal.h>
#include <sys/resource.h>
#include <unistd.h>

#include <algorithm>
#include <atomic>
#include <cstdlib>
#include <cstring>
#include <string_view>
#include <thread>

#include "base/error.h"
#include "base/text.h"
#include "media/first_picture.h"
#include "media/isolated/reader_protocol.h"

namespace va {
namespace {

using nlohmann::json;

/// Half of the machine's memory, and 4 GB at least.
void boundMemory() {
    const auto pages = rlim_t(std::max(0L, ::sysconf(_SC_PHYS_PAGES))), size = rlim_t(::sysconf(_SC_PAGESIZE));
    const rlim_t bytes = std::max<rlim_t>(rlim_t(4) << 30, pages * size / 2);
    const rlimit limit{bytes, bytes};
    ::setrlimit(RLIMIT_AS, &limit);
    const rlimit none{0, 0};
    ::setrlimit(RLIMIT_CORE, &none);
}

class Server {
  public:
    Server(int socket, int memory) : socket_(socket), memory_(memory) {}

    int run() {
        json request;
        while (receiveMessage(socket_, request, -1) == 1) {
            json reply;
            try {
                reply = answer(request);
            } catch (const DamagedFrame& e) {
                reply = {{"error", "damaged"}, {"what", e.what()}, {"cause", e.cause()}};
            } catch (const InputError& e) {
                reply = {{"error", "input"}, {"what", e.what()}, {"detail", e.detail()}};
            } catch (const Cancelled&) {
                reply = {{"error", "cancelled"}};
            } catch (const std::bad_alloc&) {
                reply = {{"error", "input"},
                         {"what", text("\"%s\" needs more memory than there is. It may be damaged; else scale it down.",
                                       spec_.c_str())},
                         {"detail", "out of memory"}};
            } catch (const std::exception& e) {
                reply = {{"error", "input"},
                         {"what", text("\"%s\" can't be read: it may be damaged.", spec_.c_str())},
                         {"detail", e.what()}};
            }
            if (!sendMessage(socket_, reply)) break;
        }
        return 0;
    }

  private:
    json answer(const json& request) {
        const std::string op = request.at("op");
        if (op == "open") {
            source_.reset();
            spec_ = request.at("spec");
            Progress progress([this](const Progress::State& s) {
                sendMessage(socket_, {{"progress", s.done}, {"total", s.total}, {"stage", s.stage}});
            });
            source_ = openPlate(spec_, overridesFromMessage(request.at("overrides")), &progress);
            return {{"info", infoToMessage(source_->info())}};
        }
        if (op == "first") {
            spec_ = request.at("spec");
            const int stream = request.at("stream");
            const DisplayPicture p = firstPicture(spec_, stream >= 0 ? std::optional(stream) : std::nullopt);
            return hand(p.width, p.height, p.data.data(), p.data.size() * sizeof(uint32_t));
        }
        if (!source_) throw InputError(text("no plate is open"));
        const int frame = request.at("frame");
        if (op == "quick") return {{"frame", source_->quickFrameNear(frame)}};
        if (op == "luma") {
            Luma l = source_->luma(frame);
            json reply = hand(l.width, l.height, l.data.data(), l.data.size() * sizeof(float));
            reply["depends"] = maskToMessage(source_->lumaDamage());
            source_->takeBack(std::move(l));
            return reply;
        }
        if (op == "display") {
            const DisplayPicture p = source_->display(frame);
            json reply = hand(p.width, p.height, p.data.data(), p.data.size() * sizeof(uint32_t));
            reply["damage"] = source_->displayDamage();
            return reply;
        }
        const Picture p = source_->colours(frame);
        return hand(p.width, p.height, p.data.data(), p.data.size() * sizeof(float));
    }

    json hand(int width, int height, const void* data, size_t bytes) {
        void* to = memory_.map(bytes);
        if (!to) throw std::bad_alloc();
        std::memcpy(to, data, bytes);
        return {{"size", {width, height}}};
    }

    int socket_;
    SharedMemory memory_;
    std::string spec_;
    std::unique_ptr<PlateSource> source_;
};

}  // namespace

bool isPlateReader(int argc, char** argv) { return argc == 4 && std::string_view(argv[1]) == plateReaderFlag; }

int runPlateReader(int argc, char** argv) {
    return isPlateReader(argc, argv) ? servePlates(std::atoi(argv[2]), std::atoi(argv[3])) : 2;
}

int servePlates(int socket, int memory) {
    // Keys pressed in the terminal are for the program, which tells this one what to do.
    for (const int s : {SIGINT, SIGHUP, SIGPIPE}) ::signal(s, SIG_IGN);
    ::signal(SIGCHLD, SIG_DFL);
    // Libraries write there what is told in sentences anyway.
    if (const int nowhere = ::open("/dev/null", O_WRONLY | O_CLOEXEC); nowhere >= 0) ::dup2(nowhere, STDERR_FILENO);
    boundMemory();
    // When the program is gone, there is nobody to read for, even where a file hangs.
    std::thread([socket] {
        pollfd gone{socket, POLLRDHUP, 0};
        while (::poll(&gone, 1, -1) < 0) {}
        ::_exit(0);
    }).detach();
    return Server(socket, memory).run();
}

}  // namespace va
