// The chapters of the guide: their documents run, their commands work, and what they quote stands in the document.
#include "gait/load.hpp"
#include "support.hpp"

#include <catch2/catch.hpp>

#include <algorithm>
#include <random>
#include <sstream>

using namespace gait;

namespace {

const std::vector<std::string>& chapters() {
    static const std::vector<std::string> names{"1_import", "2_states", "3_blending", "4_transitions",
                                                "5_chains", "6_spaces", "7_layers"};
    return names;
}

std::filesystem::path guide(const std::string& name) { return support::project() / "docs/guide" / name; }

/// The blocks between ``` of a page: those of a language, or without one.
std::vector<std::string> blocks(const std::string& page, const std::string& language) {
    std::vector<std::string> found;
    std::istringstream lines(support::read(guide(page)));
    bool inside = false, wanted = false;
    for (std::string line; std::getline(lines, line);) {
        if (line.starts_with("```")) {
            inside = !inside;
            wanted = inside && line == "```" + language;
            if (wanted) { found.emplace_back(); }
        } else if (wanted) {
            found.back() += line + "\n";
        }
    }
    return found;
}

} // namespace

TEST_CASE("each chapter of the guide has a document without a finding, and what it quotes stands there") {
    for (const std::string& chapter : chapters()) {
        CAPTURE(chapter);
        const support::Finished checked =
            support::run({support::tool().string(), "check", "docs/guide/" + chapter + ".gait.yaml"});
        CHECK(checked.code == 0);
        CHECK(checked.err.empty());
        const std::string document = support::read(guide(chapter + ".gait.yaml"));
        for (const std::string& quoted : blocks(chapter + ".md", "yaml")) {
            CAPTURE(quoted);
            CHECK(document.find(quoted) != std::string::npos);
        }
    }
}

TEST_CASE("the commands of the guide work as they stand there") {
    const support::TemporaryFolder folder;
    std::vector<std::string> pages = chapters();
    pages.insert(pages.begin(), "0_your_own_clips"); // whose documents are begun with on the way
    for (const std::string& chapter : pages) {
        for (const std::string& block : blocks(chapter + ".md", "")) {
            std::istringstream lines(block);
            for (std::string line; std::getline(lines, line);) {
                if (!line.starts_with("gait ")) { continue; }
                std::istringstream words(line);
                std::vector<std::string> arguments;
                for (std::string word; words >> word;) {
                    arguments.push_back(word.starts_with("out/") ? (folder / word.substr(4)).string() : word);
                }
                arguments[0] = support::tool().string();
                CAPTURE(line);
                const support::Finished done = support::run(arguments);
                CAPTURE(done.err);
                CHECK(done.code == 0);
            }
        }
    }
}

TEST_CASE("whatever a game sets, the guide's machines show no seam and every state is reached") {
    for (const std::string& chapter : chapters()) {
        const Loaded loaded = load(guide(chapter + ".gait.yaml"));
        REQUIRE(loaded.character);
        const auto parameters = loaded.character->parameters();
        std::mt19937 random(5);
        std::uniform_real_distribution<double> unit(0, 1);
        Performer performer(loaded.character), next(loaded.character);
        std::vector<int> seen(loaded.character->states().size(), 0);
        for (int i = 0; i < 9000; ++i) {
            for (std::size_t p = 0; p < parameters.size(); ++p) {
                if (unit(random) > (i < 3000 ? 0.02 : 0.002) || parameters[p].computed || parameters[p].tune) {
                    continue;
                }
                const auto index = std::uint16_t(p);
                switch (parameters[p].kind) {
                case ParameterKind::flag:
                    performer.set(FlagParameter{index}, unit(random) < 0.4);
                    break;
                case ParameterKind::choice:
                    performer.set(ChoiceParameter{index}, parameters[p].of[random() % parameters[p].of.size()]);
                    break;
                case ParameterKind::angle:
                    performer.set(NumberParameter{index}, float(360 * unit(random)));
                    break;
                case ParameterKind::signal:
                    performer.send(SignalParameter{index});
                    break;
                default:
                    performer.set(NumberParameter{index},
                                  unit(random) < 0.6 ? 0.0F
                                                     : float(unit(random)) * std::min(parameters[p].high, 12.0F));
                    break;
                }
            }
            next = performer;
            next.advance(1e-5);
            const Seam seam =
                seam_between(loaded.character->rig(), support::pose_of(performer), support::pose_of(next));
            INFO(chapter << " " << i << " " << performer.state_name() << " to " << next.state_name());
            REQUIRE(seam.degrees <= seam_bound);
            performer.advance(0.06 * unit(random));
            for (std::size_t s = 0; s < seen.size(); ++s) {
                seen[s] += performer.is_active(StateHandle{{std::uint16_t(s)}}) ? 1 : 0;
            }
        }
        for (std::size_t s = 0; s < seen.size(); ++s) {
            INFO(chapter << ": " << loaded.character->states()[s].name);
            CHECK(seen[s] > 0);
        }
    }
}
