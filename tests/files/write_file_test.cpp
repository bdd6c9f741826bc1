// Files are written whole or not at all, whatever ends the program meanwhile.
#include "files/unfinished.hpp"
#include "files/write_file.hpp"
#include "support.hpp"

#include <catch2/catch.hpp>

#include <filesystem>
#include <sys/stat.h>
#include <sys/wait.h>
#include <unistd.h>

using namespace gait::detail;
namespace fs = std::filesystem;

TEST_CASE("what is unfinished is removed as the program ends, and what is finished stays") {
    const support::TemporaryFolder folder;
    const std::string half = folder.write("half", "1"), whole = folder.write("whole", "2");
    fs::create_directory(folder / "drawing");
    folder.write("drawing/script", "3");
    const pid_t child = ::fork();
    if (child == 0) {
        const Unfinished file(half), drawing(folder / "drawing");
        { const Unfinished done(whole); }
        Unfinished::remove_all();
        ::_exit(0);
    }
    int status = 0;
    REQUIRE(::waitpid(child, &status, 0) == child);
    CHECK(status == 0);
    CHECK_FALSE(fs::exists(half));
    CHECK_FALSE(fs::exists(folder / "drawing"));
    CHECK(fs::exists(whole));
}

TEST_CASE("devices, pipes and folders are not read as files") {
    const support::TemporaryFolder folder;
    const std::string pipe = (folder / "pipe").string();
    REQUIRE(::mkfifo(pipe.c_str(), 0600) == 0);
    for (const char* path : {"/dev/zero", "/dev/full", pipe.c_str()}) {
        INFO(path);
        CHECK(read_file(path).problem == "cannot be read: it is a device or a pipe, and a file is wanted");
    }
    CHECK(read_file("/tmp").problem == "cannot be read: it is a folder, and a file is wanted");
}
