// SPDX-License-Identifier: GPL-3.0-or-later
#include "media/isolated/reader_fork_server.h"

#include <fcntl.h>
#include <signal.h>
#include <sys/socket.h>
#include <sys/uio.h>
#include <unistd.h>

#include <cerrno>
#include <cstring>
#include <mutex>

#include "base/error.h"
#include "media/codec/picture_codec.h"
#include "media/isolated/plate_reader.h"

namespace va {
namespace {

struct ForkServer {
    std::mutex mutex;
    int socket = -1;
};
ForkServer& forkServer() {
    static ForkServer n;
    return n;
}

/// Two file descriptors travel beside one byte (unix(7), SCM_RIGHTS), which tells movies from stills.
constexpr char forMovie = 'm', forStills = 's';
struct Parcel {
    char byte = forMovie;
    iovec data{&byte, 1};
    alignas(cmsghdr) char control[CMSG_SPACE(2 * sizeof(int))] = {};
    msghdr message{};

    Parcel() {
        message.msg_iov = &data;
        message.msg_iovlen = 1;
        message.msg_control = control;
        message.msg_controllen = sizeof control;
    }
};

/// Forks a reader for every parcel until the program is gone.
[[noreturn]] void serve(int socket) {
    for (const int s : {SIGINT, SIGHUP, SIGPIPE, SIGCHLD}) ::signal(s, SIG_IGN);  // the last one: no remains of readers
    while (true) {
        Parcel p;
        const ssize_t n = ::recvmsg(socket, &p.message, MSG_CMSG_CLOEXEC);
        if (n < 0 && errno == EINTR) continue;
        const cmsghdr* c = n > 0 ? CMSG_FIRSTHDR(&p.message) : nullptr;
        if (n <= 0) ::_exit(0);
        if (!c || c->cmsg_type != SCM_RIGHTS || c->cmsg_len != CMSG_LEN(2 * sizeof(int))) continue;
        int files[2];
        std::memcpy(files, CMSG_DATA(c), sizeof files);
        if (p.byte == forStills) {
            try {
                (void)pictureCodec();
            } catch (const InputError&) {
                // The reader tries again, and tells the program what is missing.
            }
        }
        const pid_t child = ::fork();
        if (child == 0) {
            ::close(socket);
            ::_exit(servePlates(files[0], files[1]));
        }
        const char answer = child > 0 ? 'y' : 'n';
        ::close(files[0]);
        ::close(files[1]);
        if (::send(socket, &answer, 1, MSG_NOSIGNAL) != 1) ::_exit(0);
    }
}

}  // namespace

void startPlateReaders() {
    int pair[2];
    if (forkServer().socket >= 0 || ::socketpair(AF_UNIX, SOCK_SEQPACKET | SOCK_CLOEXEC, 0, pair) != 0) return;
    const pid_t child = ::fork();
    if (child == 0) {
        ::close(pair[0]);
        // A reader that lived on must not hold a pipe of the program open.
        if (const int nowhere = ::open("/dev/null", O_RDWR | O_CLOEXEC); nowhere >= 0)
            for (const int standard : {STDIN_FILENO, STDOUT_FILENO, STDERR_FILENO}) ::dup2(nowhere, standard);
        serve(pair[1]);
    }
    ::close(pair[1]);
    if (child > 0) forkServer().socket = pair[0];
    else ::close(pair[0]);
}

bool havePlateReaders() { return forkServer().socket >= 0; }

bool forkPlateReader(int socket, int memory, bool stills) {
    const std::scoped_lock lock(forkServer().mutex);
    if (forkServer().socket < 0) return false;
    Parcel p;
    p.byte = stills ? forStills : forMovie;
    cmsghdr* c = CMSG_FIRSTHDR(&p.message);
    c->cmsg_level = SOL_SOCKET;
    c->cmsg_type = SCM_RIGHTS;
    c->cmsg_len = CMSG_LEN(2 * sizeof(int));
    const int files[2] = {socket, memory};
    std::memcpy(CMSG_DATA(c), files, sizeof files);
    char answer = 0;
    return ::sendmsg(forkServer().socket, &p.message, MSG_NOSIGNAL) == 1 &&
           ::recv(forkServer().socket, &answer, 1, 0) == 1 && answer == 'y';
}

}  // namespace va
