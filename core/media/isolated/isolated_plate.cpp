// SPDX-License-Identifier: GPL-3.0-or-later
#include "media/isolated/isolated_plate.h"

#include <fcntl.h>
#include <signal.h>
#include <spawn.h>
#include <sys/mman.h>
#include <sys/socket.h>
#include <sys/wait.h>
#include <unistd.h>

#include <chrono>
#include <cstring>
#include <filesystem>
#include <mutex>
#include <vector>

#include "base/text.h"
#include "media/isolated/plate_reader.h"
#include "media/isolated/reader_fork_server.h"
#include "media/isolated/reader_protocol.h"
#include "media/plate_locator.h"

extern char** environ;

namespace va {
namespace {

using nlohmann::json;

std::string& program() {
    static std::string p;
    return p;
}

/// One reading process, and the plate that it has open.
class ReaderProcess {
  public:
    explicit ReaderProcess(const std::string& spec) {
        int pair[2];
        if (::socketpair(AF_UNIX, SOCK_STREAM | SOCK_CLOEXEC, 0, pair) != 0) fail();
        socket_ = pair[0];
        descriptor_ = ::memfd_create("vivid-anchor-plate", MFD_CLOEXEC);
        memory_ = std::make_unique<SharedMemory>(descriptor_);
        const bool forked = descriptor_ >= 0 && forkPlateReader(pair[1], descriptor_, looksLikeStills(spec));
        const int code = forked ? 0 : descriptor_ < 0 ? errno : spawn(pair[1]);
        ::close(pair[1]);
        if (code != 0) fail();
    }
    ~ReaderProcess() {
        if (socket_ >= 0) ::close(socket_);
        if (pid_ > 0) {
            ::kill(pid_, SIGKILL);
            ::waitpid(pid_, nullptr, 0);
        }
        memory_.reset();
        if (descriptor_ >= 0) ::close(descriptor_);
    }
    ReaderProcess(const ReaderProcess&) = delete;
    ReaderProcess& operator=(const ReaderProcess&) = delete;

    /// Sends a request and waits for its answer; false when the process died or gave no sign of life.
    bool ask(const json& request, json& reply, Progress* progress) {
        using Clock = std::chrono::steady_clock;
        if (!sendMessage(socket_, request)) return false;
        auto alive = Clock::now();
        int told = 0;
        while (true) {
            const int got = receiveMessage(socket_, reply, progress ? 50 : 1000 * readerPatience);
            if (progress) progress->check();
            if (got < 0) return false;
            if (got == 0) {
                if (Clock::now() - alive >= std::chrono::seconds(readerPatience)) return false;
                continue;
            }
            alive = Clock::now();
            if (!reply.contains("progress")) return true;
            if (!progress) continue;
            const int done = reply["progress"];
            if (told == 0) progress->stage(reply.at("stage"), reply.at("total"), 0.02), told = 1;
            else if (done + 1 > told) progress->advance(done + 1 - told), told = done + 1;
        }
    }
    [[nodiscard]] const void* pixels(size_t bytes) { return memory_->map(bytes); }

    std::string key;  ///< of the plate that it has open
    PlateInfo info;

  private:
    /// Starts the program anew as a reader; gives 0 or an errno.
    int spawn(int socket) {
        // The child gets its ends under fixed numbers, which clears their close-on-exec flag. They are first moved out
        // of the way of these numbers.
        const int childSocket = ::fcntl(socket, F_DUPFD_CLOEXEC, 20),
                  childMemory = ::fcntl(descriptor_, F_DUPFD_CLOEXEC, 20);
        posix_spawn_file_actions_t files;
        posix_spawn_file_actions_init(&files);
        posix_spawn_file_actions_adddup2(&files, childSocket, 3);
        posix_spawn_file_actions_adddup2(&files, childMemory, 4);
        posix_spawnattr_t attributes;
        posix_spawnattr_init(&attributes);
        sigset_t none;
        sigemptyset(&none);
        posix_spawnattr_setsigmask(&attributes, &none);
        posix_spawnattr_setflags(&attributes, POSIX_SPAWN_SETSIGMASK);
        std::string name = program().empty() ? "/proc/self/exe" : program(), flag = plateReaderFlag, three = "3",
                    four = "4";
        char* arguments[] = {name.data(), flag.data(), three.data(), four.data(), nullptr};
        const int code = childSocket < 0 || childMemory < 0
                             ? errno
                             : ::posix_spawn(&pid_, name.c_str(), &files, &attributes, arguments, environ);
        if (code != 0) pid_ = -1;
        posix_spawn_file_actions_destroy(&files);
        posix_spawnattr_destroy(&attributes);
        for (const int fd : {childSocket, childMemory})
            if (fd >= 0) ::close(fd);
        return code;
    }
    [[noreturn]] static void fail() {
        throw InputError(
            text("The process that reads footage can't be started. Free some memory, or install the program anew."),
            program() + ": " + std::strerror(errno));
    }
    int socket_ = -1, descriptor_ = -1;
    pid_t pid_ = -1;  ///< of a spawned one; forked ones end when their socket closes
    std::unique_ptr<SharedMemory> memory_;
};

/// Processes whose plate was closed, each still holding it: a match opens its plate several times.
struct Idle {
    std::mutex mutex;
    std::vector<std::unique_ptr<ReaderProcess>> processes;
    ~Idle() { over = true; }
    /// Plates that are kept open until the program ends may be closed after this is gone.
    static inline bool over = false;
};
Idle& idle() {
    static Idle i;
    return i;
}
constexpr size_t mostIdle = 2;

/// What tells one opening from another: the plate, what is overridden, and the state of its files.
std::string keyOf(const std::string& spec, const PlateOverrides& o) {
    namespace fs = std::filesystem;
    std::error_code code;
    const fs::path path = spec;
    const fs::path looked = fs::exists(path, code) ? path : path.has_parent_path() ? path.parent_path() : fs::path(".");
    const auto changed = fs::last_write_time(looked, code).time_since_epoch().count();
    const auto folder = fs::last_write_time(looked.has_parent_path() ? looked.parent_path() : fs::path("."), code);
    const auto size = fs::is_regular_file(looked, code) ? fs::file_size(looked, code) : 0;
    return spec + '\n' + overridesToMessage(o).dump() + '\n' + std::to_string(changed) + ' ' +
           std::to_string(folder.time_since_epoch().count()) + ' ' + std::to_string(size) + '\n' +
           fs::current_path(code).string();
}

[[noreturn]] void rethrow(const json& reply) {
    const std::string kind = reply.at("error");
    if (kind == "cancelled") throw Cancelled();
    const std::string what = reply.at("what");
    if (kind == "damaged") throw DamagedFrame(what, reply.at("cause"));
    throw InputError(what, reply.value("detail", ""));
}

class IsolatedPlate final : public PlateSource {
  public:
    IsolatedPlate(const std::string& spec, const PlateOverrides& overrides, Progress* progress)
        : spec_(spec), overrides_(overrides), key_(keyOf(spec, overrides)) {
        start(progress);
        info_ = process_->info;
    }
    ~IsolatedPlate() override {
        if (!process_ || Idle::over) return;
        const std::scoped_lock lock(idle().mutex);
        auto& all = idle().processes;
        all.push_back(std::move(process_));
        if (all.size() > mostIdle) all.erase(all.begin());
    }

    Luma luma(int frame) override {
        const json reply = ask({{"op", "luma"}, {"frame", frame}}, frame);
        lumaDamage_ = maskFromMessage(reply.at("depends"));
        Luma out = std::move(spare_);
        take(reply, sizeof(float), out.width, out.height, out.data);
        return out;
    }
    DisplayPicture display(int frame) override {
        const json reply = ask({{"op", "display"}, {"frame", frame}}, frame);
        displayDamage_ = reply.at("damage");
        DisplayPicture out;
        take(reply, sizeof(uint32_t), out.width, out.height, out.data);
        return out;
    }
    Picture colours(int frame) override {
        const json reply = ask({{"op", "colours"}, {"frame", frame}}, frame);
        Picture out;
        take(reply, 4 * sizeof(float), out.width, out.height, out.data);
        return out;
    }
    [[nodiscard]] int quickFrameNear(int frame) const override {
        json reply;
        if (!process_) return frame;
        if (!process_->ask({{"op", "quick"}, {"frame", frame}}, reply, nullptr)) {
            process_.reset();  // the next picture starts a new one
            return frame;
        }
        return reply.contains("frame") ? reply["frame"].get<int>() : frame;
    }

  private:
    void start(Progress* progress) {
        {
            const std::scoped_lock lock(idle().mutex);
            auto& all = idle().processes;
            for (auto it = all.begin(); it != all.end(); ++it)
                if ((*it)->key == key_) {
                    process_ = std::move(*it);
                    all.erase(it);
                    return;
                }
            if (!all.empty()) {
                process_ = std::move(all.back());
                all.pop_back();
            }
        }
        const json request{{"op", "open"}, {"spec", spec_}, {"overrides", overridesToMessage(overrides_)}};
        json reply;
        // An idle one may have died since; a new one gets a second try.
        const bool reused = process_ != nullptr;
        if (!reused) process_ = std::make_unique<ReaderProcess>(spec_);
        process_->key.clear();
        bool answered = askOnce(request, reply, progress);
        if (!answered && reused) {
            process_ = std::make_unique<ReaderProcess>(spec_);
            answered = askOnce(request, reply, progress);
        }
        if (!answered) {
            process_.reset();
            throw InputError(
                text("\"%s\" can't be opened: reading it crashed or gave no answer for %d s. The file may be damaged, "
                     "or its disk may not answer. Copy it to another disk, or convert it.",
                     spec_.c_str(), readerPatience));
        }
        if (reply.contains("error")) rethrow(reply);
        process_->info = infoFromMessage(reply.at("info"));
        process_->key = key_;
    }

    bool askOnce(const json& request, json& reply, Progress* progress) {
        try {
            return process_->ask(request, reply, progress);
        } catch (const Cancelled&) {
            process_.reset();  // it is still busy with what nobody wants any more
            throw;
        }
    }

    json ask(const json& request, int frame) {
        if (!process_) start(nullptr);
        json reply;
        if (!process_->ask(request, reply, nullptr)) {
            process_.reset();
            const std::string cause = text("reading it crashed or gave no answer");
            throw DamagedFrame(text("Frame %d of \"%s\": %s. Leave it out, or copy the file again.", frame,
                                    spec_.c_str(), cause.c_str()),
                               cause);
        }
        if (reply.contains("error")) rethrow(reply);
        return reply;
    }

    template <class T>
    void take(const json& reply, size_t bytesAPixel, int& width, int& height, std::vector<T>& data) {
        width = reply.at("size").at(0);
        height = reply.at("size").at(1);
        const size_t bytes = size_t(width) * size_t(height) * bytesAPixel;
        const void* from = process_->pixels(bytes);
        if (!from)
            throw InputError(
                text("There is not enough memory for a picture of \"%s\". Close other programs.", spec_.c_str()));
        data.resize(bytes / sizeof(T));
        std::memcpy(static_cast<void*>(data.data()), from, bytes);
    }

    std::string spec_;
    PlateOverrides overrides_;
    std::string key_;
    mutable std::unique_ptr<ReaderProcess> process_;  ///< null after it died
};

}  // namespace

void readPlatesWith(const std::string& name) {
    if (!name.empty() && ::access(name.c_str(), X_OK) == 0) program() = name;
}

bool platesAreIsolated() { return !program().empty() || havePlateReaders(); }

DisplayPicture firstPictureIsolated(const std::string& spec, int stream) {
    ReaderProcess process(spec);
    json reply;
    if (!process.ask({{"op", "first"}, {"spec", spec}, {"stream", stream}}, reply, nullptr))
        throw InputError(text("\"%s\" can't be opened: reading it crashed or gave no answer.", spec.c_str()));
    if (reply.contains("error")) rethrow(reply);
    DisplayPicture out(reply.at("size").at(0), reply.at("size").at(1));
    const void* from = process.pixels(out.data.size() * sizeof(uint32_t));
    if (!from)
        throw InputError(
            text("There is not enough memory for a picture of \"%s\". Close other programs.", spec.c_str()));
    std::memcpy(out.data.data(), from, out.data.size() * sizeof(uint32_t));
    return out;
}

std::unique_ptr<PlateSource> openIsolated(const std::string& spec, const PlateOverrides& overrides,
                                          Progress* progress) {
    return std::make_unique<IsolatedPlate>(spec, overrides, progress);
}

}  // namespace va
