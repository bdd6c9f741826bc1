/// What would be left behind if the program ended now: files that are only half written, folders for a drawing, and the
/// program that draws.
#pragma once

#include <filesystem>
#include <sys/types.h>

namespace gait::detail {

/// Something unfinished, for as long as it lives.
class Unfinished {
public:
    /// A file, or a folder with all that is in it.
    explicit Unfinished(std::filesystem::path path);
    /// A program that runs on our behalf.
    explicit Unfinished(pid_t process);
    ~Unfinished();
    Unfinished(const Unfinished&) = delete;
    Unfinished& operator=(const Unfinished&) = delete;

    /// Ends the programs and removes the files and folders, of all threads. Whoever calls it ends the program: nothing
    /// is begun or finished after it, every other thread that tries waits for ever.
    static void remove_all();

private:
    std::size_t number_;
};

} // namespace gait::detail
