// What a frame of the documents that ship takes, in instructions: bench/instructions.json holds what it took.
#include "support.hpp"

#include <catch2/catch.hpp>
#include <nlohmann/json.hpp>

#include <algorithm>
#include <cstdlib>
#include <fstream>
#include <map>
#include <sstream>

using nlohmann::json;

namespace {

using Costs = std::map<std::string, double>; ///< of functions, instructions a frame

/// The dearest functions of a part of callgrind's output.
Costs functions_in(const std::filesystem::path& part, double frames) {
    const support::Finished said = support::run({"callgrind_annotate", "--auto=no", part.string()});
    std::istringstream lines(said.out);
    Costs costs;
    for (std::string line; std::getline(lines, line) && costs.size() < 25;) {
        const std::size_t percent = line.find("%)"), colon = line.find(':', percent);
        if (percent == std::string::npos || colon == std::string::npos || line.find("PROGRAM") != std::string::npos) {
            continue;
        }
        std::string digits;
        for (const char c : line.substr(0, line.find('('))) {
            if (c >= '0' && c <= '9') { digits += c; }
        }
        std::string name = line.substr(colon + 1);
        name.erase(std::min(name.find(" ["), name.size()));
        if (!digits.empty()) { costs[name] += std::stod(digits) / frames; }
    }
    return costs;
}

struct Row {
    double instructions = 0;    ///< a frame
    double over_its_second = 0; ///< of an entrance: the greatest part of the mean of the second around one
    Costs functions;
};

/// Of frames one after another, the first in front.
struct Stretch {
    int frames;
    double instructions; ///< of all
};
using Stretches = std::map<int, Stretch>;

/// The mean of the frames from 30 before a frame to 30 after it.
double mean_around(int frame, const Stretches& stretches) {
    int frames = 0;
    double instructions = 0;
    for (const auto& [first, stretch] : stretches) {
        if (first < std::max(0, frame - 30) || first >= frame + 30) { continue; }
        frames += stretch.frames;
        instructions += stretch.instructions;
    }
    return instructions / frames;
}

/// `name` at `between`: what stands before, and the number after; the whole and -1 where it is not there.
std::pair<std::string, int> split(const std::string& name, const std::string& between) {
    const std::size_t at = name.find(between);
    return at == std::string::npos ? std::pair{name, -1}
                                   : std::pair{name.substr(0, at), std::stoi(name.substr(at + between.size()))};
}

std::map<std::string, Row> counted() {
    const support::TemporaryFolder folder;
    const support::Finished run =
        support::run({"valgrind", "--tool=callgrind", "--instr-atstart=no", "--collect-atstart=no",
                      "--callgrind-out-file=" + (folder / "part").string(), GAIT_SHIPPED, support::project().string()});
    INFO(run.err.substr(0, 2000));
    REQUIRE(run.code == 0);
    std::map<std::string, double> frames;
    std::istringstream lines(run.out);
    std::string name;
    for (double count = 0; lines >> name >> count;) { frames[name] = count; }
    std::map<std::string, Row> rows;
    std::map<std::string, std::pair<std::filesystem::path, double>> dearest; ///< with how many frames it is of
    std::map<std::string, Stretches> stretches;
    std::map<std::string, std::map<int, double>> entrances;
    for (int part = 1; std::filesystem::exists(folder / ("part." + std::to_string(part))); ++part) {
        const auto path = folder / ("part." + std::to_string(part));
        const std::string text = support::read(path);
        const std::string trigger = "Client Request: ";
        const std::size_t at = text.find(trigger), totals = text.find("\ntotals: ");
        if (at == std::string::npos || totals == std::string::npos) { continue; }
        const std::string name_of_part = text.substr(at + trigger.size(), text.find('\n', at) - at - trigger.size());
        REQUIRE(frames.count(name_of_part) == 1);
        const double total = std::stod(text.substr(totals + 9)), instructions = total / frames[name_of_part];
        if (const auto [of, first] = split(name_of_part, "_from_"); first >= 0) {
            stretches[of][first] = {int(frames[name_of_part]), total};
            continue;
        }
        const auto [row, entrance] = split(name_of_part, "_at_");
        if (entrance >= 0) {
            entrances[row][entrance] = instructions;
            continue;
        }
        if (instructions <= rows[row].instructions) { continue; } // of entrances the dearest
        // The summary of a part is not always of that part; the totals are.
        std::string mended = text;
        const std::size_t summary = mended.find("\nsummary: ");
        if (summary != std::string::npos) {
            mended.replace(summary, mended.find('\n', summary + 1) - summary,
                           "\nsummary: " + text.substr(totals + 9, text.find('\n', totals + 1) - totals - 9));
        }
        std::ofstream(path) << mended;
        rows[row].instructions = instructions;
        dearest[row] = {path, frames[name_of_part]};
    }
    for (const auto& [row, part] : dearest) { rows[row].functions = functions_in(part.first, part.second); }
    for (const auto& [row, all] : entrances) {
        for (const auto& [frame, instructions] : all) {
            const Stretches& around = stretches[row.substr(0, row.find("_entrance"))];
            rows[row].over_its_second = std::max(rows[row].over_its_second, instructions / mean_around(frame, around));
        }
    }
    return rows;
}

/// Who takes more than before, the most first.
std::string to_blame(const Costs& now, const json& before) {
    std::vector<std::pair<double, std::string>> more;
    for (const auto& [name, cost] : now) { more.emplace_back(cost - before.value(name, 0.0), name); }
    std::sort(more.rbegin(), more.rend());
    std::string text;
    for (std::size_t i = 0; i < std::min<std::size_t>(5, more.size()) && more[i].first >= 1; ++i) {
        text += "\n  " + std::to_string(std::lround(more[i].first)) + " more in " + more[i].second;
    }
    return text;
}

} // namespace

TEST_CASE("a frame of what ships takes no more instructions than it took, and none three times those of its second") {
    if (support::is_sanitized) { return; }
    const auto rows = counted();
    CHECK(rows.size() == 10);
    const auto path = support::project() / "bench/instructions.json";
    if (std::getenv("GAIT_KEEP_COSTS") != nullptr) {
        json kept;
        for (const auto& [name, row] : rows) {
            json functions;
            for (const auto& [function, cost] : row.functions) { functions[function] = std::lround(cost); }
            kept[name] = {{"instructions", std::lround(row.instructions)}, {"functions", functions}};
            if (row.over_its_second > 0) {
                kept[name]["over_its_second"] = std::round(100 * row.over_its_second) / 100;
            }
        }
        std::ofstream(path) << kept.dump(1) << "\n";
    }
    const json kept = json::parse(support::read(path));
    for (const auto& [name, row] : rows) {
        INFO(name << to_blame(row.functions, kept[name]["functions"]));
        // What other compilers and processors of the same kind differ by stays below this.
        CHECK(row.instructions < 1.03 * kept[name]["instructions"].get<double>());
        CHECK(row.over_its_second <= 3);
    }
}
