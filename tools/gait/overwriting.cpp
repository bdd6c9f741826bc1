#include "overwriting.hpp"

#include "output.hpp"

#include <fmt/core.h>

#include <optional>
#include <system_error>

namespace gait::tool {
namespace {

using std::filesystem::path;

/// Where nothing is yet, the folder's identity and the name decide.
bool same_file(const path& a, const path& b) {
    std::error_code none;
    if (std::filesystem::exists(a, none) && std::filesystem::exists(b, none)) {
        return std::filesystem::equivalent(a, b, none);
    }
    const path where_a = std::filesystem::weakly_canonical(a, none),
               where_b = std::filesystem::weakly_canonical(b, none);
    return !where_a.empty() && where_a == where_b;
}

bool is_device(const path& file) {
    std::error_code none;
    return std::filesystem::is_other(file, none);
}

/// Says which output is written over what; nothing where none is.
std::optional<std::string> clash_of(const std::vector<Output>& outputs, const std::vector<path>& inputs) {
    for (auto output = outputs.begin(); output != outputs.end(); ++output) {
        if (output->path.empty() || is_device(output->path)) { continue; }
        for (const path& input : inputs) {
            if (same_file(output->path, input)) {
                return fmt::format("{} '{}' would overwrite '{}', which is read; name another file", output->option,
                                   output->path, input.string());
            }
        }
        for (auto other = outputs.begin(); other != output; ++other) {
            if (!other->path.empty() && same_file(output->path, other->path)) {
                return fmt::format("{} and {} would both be written to '{}'; name another file for one of them",
                                   other->option, output->option, output->path);
            }
        }
    }
    return std::nullopt;
}

} // namespace

std::vector<path> with(std::vector<path> files, const std::string& more) {
    if (!more.empty()) { files.emplace_back(more); }
    return files;
}

bool overwrites(const std::vector<Output>& outputs, const std::vector<path>& inputs) {
    const auto clash = clash_of(outputs, inputs);
    if (clash) { complain(*clash); }
    return clash.has_value();
}

} // namespace gait::tool
