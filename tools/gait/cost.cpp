#include "cost.hpp"

#include "output.hpp"
#include "state_names.hpp"

#include "character/character_data.hpp"
#include "gait/compile.hpp"
#include "gait/cue_player.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <chrono>
#include <map>
#include <numeric>
#include <optional>

namespace gait::tool {
namespace {

constexpr int runs = 5;
constexpr std::size_t most_told = 5; ///< of the dearest frames

class Clock {
public:
    /// Microseconds since the last call.
    double lap() {
        const auto now = std::chrono::steady_clock::now();
        const double passed = std::chrono::duration<double, std::micro>(now - last_).count();
        last_ = now;
        return std::max(0.0, passed);
    }

private:
    std::chrono::steady_clock::time_point last_ = std::chrono::steady_clock::now();
};

FrameCost least(const FrameCost& a, const FrameCost& b) {
    return {std::min(a.moving_on, b.moving_on), std::min(a.pose, b.pose), std::min(a.feet, b.feet)};
}

using VisitWeight = std::function<void(const std::string& name, Text& weight)>;

void each_weight(MotionDefinition& motion, const std::string& in, const VisitWeight& visit) {
    if (motion.mix) {
        for (std::size_t e = 0; e < motion.mix->of.size(); ++e) {
            MixEntryDefinition& entry = motion.mix->of[e];
            if (e > 0) { visit(fmt::format("entry {} of the mix in {}", e + 1, in), entry.weight); }
            each_weight(entry.play, in, visit);
        }
    }
    if (motion.add) {
        visit("what is added in " + in, motion.add->weight);
        each_weight(motion.add->what, in, visit);
        each_weight(motion.add->to, in, visit);
    }
    if (motion.blend) {
        for (PointDefinition& point : motion.blend->points) { each_weight(point.play, in, visit); }
    }
    if (motion.choose) {
        for (ChooseEntry& entry : motion.choose->of) { each_weight(entry.play, in, visit); }
    }
    if (motion.pick) {
        for (PickEntry& entry : motion.pick->of) { each_weight(entry.play, in, visit); }
    }
}

void each_weight(MachineDefinition& machine, const VisitWeight& visit) {
    for (StateDefinition& state : machine.states) {
        each_weight(state.play, "state " + state.name.value, visit);
        if (state.machine) { each_weight(*state.machine, visit); }
    }
}

/// Whatever a document weighs: without weight it shows nothing, and all else plays as before.
void each_weight(Document& document, const VisitWeight& visit) {
    for (std::size_t l = 1; l < document.layers.size(); ++l) {
        visit("layer " + document.layers[l].name.value, document.layers[l].weight);
    }
    for (auto& motion : document.motions) { each_weight(motion.play, "motion " + motion.name.value, visit); }
    for (LayerDefinition& layer : document.layers) { each_weight(layer.machine, visit); }
    if (!document.feet.planted.empty()) { visit("planted feet", document.feet.planted); }
}

/// How many parts are left out one by one.
constexpr std::size_t most_parts = 16;

std::string microseconds(double value) { return fmt::format("{:.2f}", value); }

} // namespace

Costing::Costing(const Loaded& loaded, const CueSheet* cues, Begin begin, double seconds, double frames_per_second)
    : cues_(cues), begin_(std::move(begin)), seconds_(seconds),
      frames_per_second_(frames_per_second), whole_{loaded.character, {}, {}}, parts_(parts_of(loaded)) {
    std::vector<Played*> all{&whole_};
    for (Part& part : parts_) { all.push_back(&part.without); }
    const auto count = std::size_t(std::max(1.0, std::round(seconds_ * frames_per_second_)));
    for (Played* played : all) { played->frames.resize(count); }
    Progress progress("weighing frames", std::int64_t(count * all.size()) * runs);
    std::size_t done = 0;
    for (int run = 0; run < runs; ++run) {
        for (Played* played : all) {
            play(*played, [&](std::size_t frame) { progress.at(std::int64_t(done + frame)); });
            done += count;
        }
    }
    for (Played* played : all) { played->mean = mean_of(played->frames); }
}

void Costing::play(Played& played, const std::function<void(std::size_t frame)>& visit) const {
    const Character& character = *played.character;
    Performer performer = begin_(played.character);
    Diagnostics found;
    std::optional<CuePlayer> player;
    if (cues_ != nullptr) { player.emplace(*cues_, character, found); }
    const bool moves = player && player->moves_body();
    const bool plants = !character.data().feet.legs.empty() && (moves || !character.data().walks_in_place());
    for (std::size_t f = 0; f < played.frames.size(); ++f) {
        const double now = double(f) / frames_per_second_;
        if (player) { player->apply(performer, now); }
        Clock clock;
        performer.advance(1 / frames_per_second_);
        FrameCost cost;
        cost.moving_on = clock.lap();
        performer.pose({});
        cost.pose = clock.lap();
        const Travel travel = player ? player->move(performer, 1 / frames_per_second_) : performer.travel();
        if (plants) {
            clock.lap();
            performer.plant_feet(travel);
            cost.feet = clock.lap();
        }
        visit(f);
        Frame& frame = played.frames[f];
        frame.cost = frame.states.empty() ? cost : least(frame.cost, cost);
        if (!frame.states.empty()) { continue; } // it was played before
        for (std::size_t l = 0; l < character.layers().size(); ++l) { frame.states.push_back(performer.state(l)); }
        for (const TransitionRecord& taken : performer.transitions()) {
            frame.transitions += (frame.transitions.empty() ? "" : ", ") + transition_name(character, taken.transition);
        }
    }
}

FrameCost Costing::mean_of(const std::vector<Frame>& frames) {
    FrameCost sum;
    for (const Frame& frame : frames) {
        sum.moving_on += frame.cost.moving_on;
        sum.pose += frame.cost.pose;
        sum.feet += frame.cost.feet;
    }
    const auto count = double(frames.size());
    return {sum.moving_on / count, sum.pose / count, sum.feet / count};
}

std::vector<Costing::Part> Costing::parts_of(const Loaded& loaded) {
    const Assets assets = load_assets(loaded.document).assets;
    std::vector<Part> parts;
    for (std::size_t left_out = 0; left_out < most_parts; ++left_out) {
        Document document = loaded.document;
        std::size_t at = 0;
        std::string name;
        each_weight(document, [&](const std::string& part, Text& weight) {
            if (at++ != left_out) { return; }
            name = part;
            weight = Text("0", weight.place);
        });
        if (name.empty()) { break; }
        const Compiled compiled = compile(document, assets);
        if (compiled.character) { parts.push_back({name, {compiled.character, {}, {}}}); }
    }
    return parts;
}

std::vector<Costing::Row> Costing::rows() const {
    std::map<std::uint16_t, std::vector<Frame>> of_states;
    for (const Frame& frame : whole_.frames) {
        for (const std::uint16_t state : frame.states) {
            if (state != no_index && !whole_.character->states()[state].nothing) {
                of_states[state].push_back({frame.cost, {}, {}});
            }
        }
    }
    std::vector<Row> rows;
    for (const auto& [state, frames] : of_states) {
        rows.push_back({whole_.character->full_name(state), frames.size(), mean_of(frames)});
    }
    std::stable_sort(rows.begin(), rows.end(), [](const Row& a, const Row& b) { return a.mean.all() > b.mean.all(); });
    return rows;
}

std::vector<std::size_t> Costing::dearest() const {
    std::vector<std::size_t> order(whole_.frames.size());
    std::iota(order.begin(), order.end(), std::size_t{0});
    std::stable_sort(order.begin(), order.end(), [&](std::size_t a, std::size_t b) {
        return whole_.frames[a].cost.all() > whole_.frames[b].cost.all();
    });
    order.resize(std::min(order.size(), most_told));
    return order;
}

std::string Costing::text() const {
    using A = Table::Align;
    std::string out = fmt::format("a frame takes {:.2f} us on the mean: {:.2f} to decide and move on, {:.2f} for the "
                                  "pose, {:.2f} to plant feet; each frame the least of {} runs\n\n",
                                  whole_.mean.all(), whole_.mean.moving_on, whole_.mean.pose, whole_.mean.feet, runs);
    Table states({{"while in", A::left},
                  {"frames", A::right},
                  {"moving on", A::right},
                  {"pose", A::right},
                  {"feet", A::right},
                  {"us in all", A::right}});
    for (const Row& row : rows()) {
        states.add({row.state, fmt::format("{}", row.frames), microseconds(row.mean.moving_on),
                    microseconds(row.mean.pose), microseconds(row.mean.feet), microseconds(row.mean.all())});
    }
    out += states.text();
    if (!parts_.empty()) {
        Table parts({{"without", A::left}, {"a frame takes", A::right}, {"which is", A::right}});
        for (const Part& part : parts_) {
            const double saved = whole_.mean.all() - part.without.mean.all();
            parts.add({part.name, microseconds(part.without.mean.all()) + " us",
                       fmt::format("{:.2f} us {}", std::abs(saved), saved < 0 ? "more" : "less")});
        }
        out += "\n" + parts.text();
    }
    Table frames({{"dearest", A::right}, {"us", A::right}, {"what fell there", A::left}});
    for (const std::size_t f : dearest()) {
        frames.add({fmt::format("{:.3f} s", double(f + 1) / frames_per_second_),
                    microseconds(whole_.frames[f].cost.all()), whole_.frames[f].transitions});
    }
    return out + "\n" + frames.text();
}

nlohmann::json Costing::json() const {
    const auto of = [](const FrameCost& cost) {
        return nlohmann::json{
            {"moving_on_us", cost.moving_on}, {"pose_us", cost.pose}, {"feet_us", cost.feet}, {"all_us", cost.all()}};
    };
    nlohmann::json result{{"mean", of(whole_.mean)}, {"runs", runs}};
    for (const Row& row : rows()) {
        nlohmann::json state = of(row.mean);
        state["state"] = row.state;
        state["frames"] = row.frames;
        result["states"].push_back(std::move(state));
    }
    for (const Part& part : parts_) {
        nlohmann::json without = of(part.without.mean);
        without["without"] = part.name;
        result["parts"].push_back(std::move(without));
    }
    for (const std::size_t f : dearest()) {
        nlohmann::json frame = of(whole_.frames[f].cost);
        frame["time_s"] = double(f + 1) / frames_per_second_;
        frame["transitions"] = whole_.frames[f].transitions;
        result["dearest"].push_back(std::move(frame));
    }
    return result;
}

} // namespace gait::tool
