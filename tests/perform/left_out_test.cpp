#include "gait/gait.hpp"
#include "perform/block_of.hpp"
#include "random_inputs.hpp"
#include "support.hpp"

#include <catch2/catch.hpp>

#include <cstring>

using namespace gait;
using support::RandomInputs;

namespace {

/// As if everything had changed: nothing is left out of the next step because it would come to the same.
void forget_what_stands(Performer& performer) {
    const detail::PerformerBlock block = detail::block_of(performer);
    block.header().moved = block.header().to_compute = ~detail::SlotSet{0};
    block.header().inputs_settle = 1;
    for (std::size_t l = 0; l < performer.character().layers().size(); ++l) {
        block.of_layer(l).layer().turned_down = 0;
        block.of_layer(l).layer().seconds_until_decision = 0;
    }
}

std::vector<Transform> pose_of(const Performer& performer) {
    std::vector<Transform> pose(performer.character().joint_count());
    performer.pose(pose);
    return pose;
}

} // namespace

TEST_CASE("what a frame leaves out because nothing changed would have come to the same, to the last bit") {
    std::vector<std::filesystem::path> documents;
    for (const char* folder : {"demo", "docs/guide"}) {
        for (const auto& file : std::filesystem::directory_iterator(support::project() / folder)) {
            if (file.path().string().ends_with(".gait.yaml")) { documents.push_back(file.path()); }
        }
    }
    REQUIRE(documents.size() >= 10);
    for (const auto& document : documents) {
        const Loaded loaded = load(document);
        CAPTURE(document.string());
        REQUIRE(loaded.character);
        for (unsigned seed = 1; seed <= 4; ++seed) {
            Performer spared(loaded.character), asked(loaded.character);
            RandomInputs first(seed, 0.004), second(seed, 0.004);
            EventList of_spared, of_asked;
            for (int frame = 0; frame < 1500; ++frame) {
                CAPTURE(seed, frame);
                first.give(spared);
                second.give(asked);
                forget_what_stands(asked);
                // Frames of unlike length, and some of none.
                const double dt = frame % 11 == 0 ? 0 : frame % 5 == 0 ? 0.031 : 1.0 / 60;
                spared.advance(dt, of_spared);
                asked.advance(dt, of_asked);
                const Travel ours = spared.travel(), theirs = asked.travel();
                REQUIRE(std::memcmp(&ours, &theirs, sizeof ours) == 0);
                REQUIRE(of_spared.events().size() == of_asked.events().size());
                for (std::size_t p = 0; p < loaded.character->parameters().size(); ++p) {
                    const NumberParameter parameter{std::uint16_t(p)};
                    REQUIRE(spared.smoothed(parameter) == asked.smoothed(parameter));
                }
                for (std::size_t l = 0; l < loaded.character->layers().size(); ++l) {
                    REQUIRE(spared.state(l) == asked.state(l));
                }
                const auto pose = pose_of(spared);
                REQUIRE(std::memcmp(pose.data(), pose_of(asked).data(), pose.size() * sizeof(Transform)) == 0);
            }
        }
    }
}
