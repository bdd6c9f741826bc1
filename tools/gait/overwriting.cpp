#include "overwriting.hpp"

#include "output.hpp"

#include "files/gltf_parts.hpp"

#include <fmt/core.h>

#include <algorithm>
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
    const auto status = std::filesystem::status(file, none);
    return std::filesystem::exists(status) && !std::filesystem::is_regular_file(status);
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

std::vector<path> with_parts(const path& file) {
    std::vector<path> files{file};
    if (file.extension() == ".bvh") { return files; }
    for (const path& part : detail::gltf_parts(file)) { files.push_back(part); }
    return files;
}

namespace {

/// Its own, those it is based on, its rig's and its clips'.
std::vector<path> files_of(const Document& document) {
    const path folder = path(document.file).parent_path();
    std::vector<path> files{document.file};
    for (const SourceFile& base : document.bases) { files.emplace_back(base.name); }
    std::vector<std::string> named{document.rig.value};
    for (const ClipDefinition& clip : document.clips) {
        if (!clip.file.empty()) { named.push_back(clip.file.value); }
    }
    std::sort(named.begin(), named.end());
    named.erase(std::unique(named.begin(), named.end()), named.end());
    for (const std::string& name : named) {
        for (const path& part : with_parts(folder / name)) { files.push_back(part); }
    }
    return files;
}

} // namespace

bool refuses_to_overwrite(const std::vector<Output>& outputs, const std::vector<path>& inputs) {
    const auto clash = clash_of(outputs, inputs);
    if (clash) { complain(*clash); }
    return clash.has_value();
}

bool refuses_to_overwrite(const std::vector<Output>& outputs, const Document& document, const std::string& cues) {
    const bool none = std::all_of(outputs.begin(), outputs.end(), [](const Output& o) { return o.path.empty(); });
    if (none) { return false; }
    std::vector<path> inputs = files_of(document);
    if (!cues.empty()) { inputs.emplace_back(cues); }
    return refuses_to_overwrite(outputs, inputs);
}

} // namespace gait::tool
