// Runs a fuzz target on files, and on each with a few bytes changed, without the fuzzer's own compiler.
#include <algorithm>
#include <cstdint>
#include <cstdio>
#include <filesystem>
#include <fstream>
#include <iterator>
#include <random>
#include <string>
#include <vector>

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* bytes, std::size_t size);

/// replay CHANGED FOLDER...: each file of the folders as it is, and CHANGED times with changes that are the same every
/// time. A find ends the program by its signal.
int main(int count, char** arguments) {
    if (count < 3) { return 2; }
    const int changed = std::stoi(arguments[1]);
    std::vector<std::filesystem::path> files;
    for (int a = 2; a < count; ++a) {
        for (const auto& entry : std::filesystem::directory_iterator(arguments[a])) { files.push_back(entry.path()); }
    }
    std::sort(files.begin(), files.end());
    std::mt19937 random(20);
    std::size_t runs = 0;
    for (const auto& path : files) {
        std::ifstream file(path, std::ios::binary);
        const std::string whole{std::istreambuf_iterator<char>(file), {}};
        for (int i = 0; i <= changed; ++i, ++runs) {
            std::string bytes = whole;
            for (int change = 0; i > 0 && change < 3 && !bytes.empty(); ++change) {
                const std::size_t at = random() % bytes.size();
                switch (random() % 4) {
                case 0:
                    bytes.erase(at, 1 + random() % 8);
                    break;
                case 1:
                    bytes.insert(at, bytes.substr(random() % bytes.size(), 1 + random() % 8));
                    break;
                default:
                    bytes[at] = char(random());
                    break;
                }
            }
            LLVMFuzzerTestOneInput(reinterpret_cast<const std::uint8_t*>(bytes.data()), bytes.size());
        }
    }
    std::printf("%zu files, %zu runs\n", files.size(), runs);
    return files.empty() ? 1 : 0;
}
