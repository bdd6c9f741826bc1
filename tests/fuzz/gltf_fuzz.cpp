#include "fuzz.hpp"

#include <unistd.h>

#include <filesystem>
#include <fstream>

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* bytes, std::size_t size) {
    static const std::filesystem::path folder =
        std::filesystem::temp_directory_path() / ("gait-fuzz-" + std::to_string(::getpid()));
    std::filesystem::create_directories(folder);
    const std::string content = fuzz::text(bytes, size);
    const std::filesystem::path path = folder / (content.starts_with("glTF") ? "fuzz.glb" : "fuzz.gltf");
    std::ofstream(path, std::ios::binary) << content;
    const gait::ImportResult result = gait::import_gltf(path);
    fuzz::require(result.file.has_value() != gait::has_errors(result.diagnostics));
    (void)gait::format(result.diagnostics);
    if (result.file) {
        for (const gait::ClipSource& clip : result.file->clips) { (void)gait::loop_gap(clip, result.file->rig); }
    }
    return 0;
}
