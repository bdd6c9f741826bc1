/// What several tests need: small rigs and clips, documents in a few lines, a temporary folder, and processes.
#pragma once

#include "gait/gait.hpp"

#include <filesystem>
#include <functional>
#include <string>
#include <string_view>
#include <vector>

namespace support {

/// Whether a sanitizer watches, under which memory cannot be kept short nor instructions be counted.
#if defined(__SANITIZE_ADDRESS__) || defined(__SANITIZE_THREAD__)
inline constexpr bool is_sanitized = true;
#else
inline constexpr bool is_sanitized = false;
#endif

/// The checkout, and what the build made.
[[nodiscard]] std::filesystem::path project();
[[nodiscard]] std::filesystem::path tool();

/// A folder that goes away with the test.
class TemporaryFolder {
public:
    TemporaryFolder();
    ~TemporaryFolder();
    TemporaryFolder(const TemporaryFolder&) = delete;
    TemporaryFolder& operator=(const TemporaryFolder&) = delete;
    [[nodiscard]] std::filesystem::path operator/(const std::string& name) const { return path_ / name; }
    std::string write(const std::string& name, const std::string& bytes) const;

private:
    std::filesystem::path path_;
};

[[nodiscard]] std::string read(const std::filesystem::path& path);

struct Finished {
    int code = -1;
    std::string out, err;
};

/// Runs a program without a shell, in the project's folder unless another is given.
[[nodiscard]] Finished run(const std::vector<std::string>& arguments, const std::filesystem::path& folder = project());

/// Runs `gait` with these arguments.
[[nodiscard]] Finished gait_tool(std::vector<std::string> arguments);

/// A chain of joints, each a metre above the one before.
[[nodiscard]] gait::Rig chain(int joints);

/// A clip of `chain(joints)` with linear keys at `rate`, each joint turned by `turn(joint, phase)`.
[[nodiscard]] gait::ClipSource clip(const std::string& name, int joints, double seconds,
                                    const std::function<gait::Quat(int, double)>& turn, double rate = 60);

/// A clip in which every joint is turned by the same fixed angle about X.
[[nodiscard]] gait::ClipSource held(const std::string& name, int joints, double degrees, double seconds = 1);

/// Assets of `chain(joints)` and these clips.
[[nodiscard]] gait::Assets assets(int joints, const std::vector<gait::ClipSource>& clips);

/// Compiles a document's text with these assets; fails the test when there are errors.
[[nodiscard]] std::shared_ptr<const gait::Character> character(const std::string& text, const gait::Assets& assets);

/// All diagnostics of a document's text, formatted.
[[nodiscard]] std::string diagnose(const std::string& text, const gait::Assets& assets);

/// The demo's rig and clips, and one of the clips; read once.
[[nodiscard]] const gait::ImportedFile& demo_file();
[[nodiscard]] const gait::ClipSource& demo_clip(std::string_view name);

/// The demo's document, compiled; made once.
[[nodiscard]] const gait::Loaded& lamplighter();

/// Whether some work computes with numbers that floats hardly hold, on which processors take ten times as long. Always
/// false on a machine that does not tell.
[[nodiscard]] bool computes_with_tiny_numbers(const std::function<void()>& work);

/// Turns of all joints.
[[nodiscard]] std::vector<gait::Transform> pose_of(const gait::Performer& performer);

/// The greatest turn between two poses, degrees.
[[nodiscard]] double greatest_turn(const std::vector<gait::Transform>& a, const std::vector<gait::Transform>& b);

} // namespace support
