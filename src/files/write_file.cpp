#include "files/write_file.hpp"

#include "files/unfinished.hpp"

#include <fmt/core.h>

#include <cerrno>
#include <cstdio>
#include <fcntl.h>
#include <random>
#include <sys/stat.h>
#include <system_error>
#include <unistd.h>

namespace gait::detail {
namespace {

constexpr std::uintmax_t largest_file = std::uintmax_t{1} << 31U;

struct Descriptor {
    int number = -1;
    Descriptor(int descriptor) : number(descriptor) {}
    Descriptor(const Descriptor&) = delete;
    Descriptor& operator=(const Descriptor&) = delete;
    ~Descriptor() {
        if (number >= 0) { ::close(number); }
    }
};

bool write_all(int descriptor, std::string_view bytes) {
    while (!bytes.empty()) {
        const ssize_t written = ::write(descriptor, bytes.data(), bytes.size());
        if (written < 0 && errno == EINTR) { continue; }
        if (written < 0) { return false; }
        bytes.remove_prefix(std::size_t(written));
    }
    return ::fsync(descriptor) == 0 || errno == EINVAL || errno == EROFS;
}

/// A name beside `target` that nobody can have put something under.
std::filesystem::path unforeseen_name(const std::filesystem::path& target) {
    std::random_device chance;
    return target.parent_path() / fmt::format(".gait-{:08x}{:08x}.part", chance(), chance());
}

} // namespace

std::string system_reason(int error_number) {
    std::string reason = std::system_category().message(error_number);
    if (!reason.empty() && reason[0] >= 'A' && reason[0] <= 'Z') { reason[0] = char(reason[0] - 'A' + 'a'); }
    return reason;
}

FileContents read_file(const std::filesystem::path& path, const FileReader& from) {
    if (from) {
        std::optional<std::string> bytes = from(path);
        if (!bytes) { return {{}, "cannot be read: the game's file reader does not have it"}; }
        if (bytes->size() > largest_file) { return {{}, "cannot be read: it is larger than 2 GiB"}; }
        return {std::move(*bytes), std::nullopt};
    }
    // A pipe that nobody writes into would be waited for.
    const Descriptor file{::open(path.c_str(), O_RDONLY | O_CLOEXEC | O_NONBLOCK)};
    if (file.number < 0) { return {{}, "cannot be read: " + system_reason(errno)}; }
    struct stat status {};
    if (::fstat(file.number, &status) != 0) { return {{}, "cannot be read: " + system_reason(errno)}; }
    if (S_ISDIR(status.st_mode)) { return {{}, "cannot be read: it is a folder, and a file is wanted"}; }
    if (!S_ISREG(status.st_mode)) { return {{}, "cannot be read: it is a device or a pipe, and a file is wanted"}; }
    FileContents contents;
    std::string chunk(1U << 16U, '\0');
    for (;;) {
        const ssize_t got = ::read(file.number, chunk.data(), chunk.size());
        if (got < 0 && errno == EINTR) { continue; }
        if (got < 0) { return {{}, "cannot be read: " + system_reason(errno)}; }
        if (got == 0) { return contents; }
        contents.bytes.append(chunk, 0, std::size_t(got));
        if (contents.bytes.size() > largest_file) { return {{}, "cannot be read: it is larger than 2 GiB"}; }
    }
}

std::optional<std::string> write_file(const std::filesystem::path& path, std::string_view bytes) {
    // A device such as /dev/stdout is written to, not replaced.
    struct stat status {};
    const bool is_there = ::stat(path.c_str(), &status) == 0;
    if (is_there && !S_ISREG(status.st_mode)) {
        if (S_ISDIR(status.st_mode)) { return "cannot be written: it is a folder"; }
        const Descriptor device{::open(path.c_str(), O_WRONLY | O_CLOEXEC)};
        if (device.number < 0 || !write_all(device.number, bytes)) {
            return "cannot be written: " + system_reason(errno);
        }
        return std::nullopt;
    }
    std::filesystem::path target = path;
    std::error_code failed;
    if (std::filesystem::is_symlink(path, failed)) {
        // The link stays, and what it names is written.
        target = std::filesystem::canonical(path, failed);
        if (failed) { return "cannot be written: it is a link to what is not there"; }
    }
    const std::filesystem::path temporary = unforeseen_name(target);
    const Unfinished unfinished(temporary);
    const auto problem = [&]() -> std::optional<std::string> {
        const Descriptor file{::open(temporary.c_str(), O_WRONLY | O_CREAT | O_EXCL | O_NOFOLLOW | O_CLOEXEC, 0666)};
        if (file.number < 0) { return system_reason(errno); }
        const bool kept = !is_there || ::fchmod(file.number, status.st_mode & 07777U) == 0;
        if (kept && write_all(file.number, bytes) && ::rename(temporary.c_str(), target.c_str()) == 0) {
            return std::nullopt;
        }
        const int reason = errno;
        ::unlink(temporary.c_str());
        return system_reason(reason);
    }();
    if (problem) { return "cannot be written: " + *problem; }
    return std::nullopt;
}

} // namespace gait::detail
