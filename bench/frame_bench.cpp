// What a frame costs, as ratios in one run: against a textbook implementation, and against the bare kernel as the
// floor.
//
// Every figure is the least of several repetitions, because other programs on the machine only ever add time.
#include "crowd.hpp"
#include "shipped_crowd.hpp"
#include "shipped_rows.hpp"
#include "textbook.hpp"
#include "whole_textbook.hpp"

#include "character/character_data.hpp"
#include "gait/crowd.hpp"
#include "gait/eigen.hpp"
#include "math/pose_kernels.hpp"

#include <benchmark/benchmark.h>
#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <chrono>
#include <cstdint>
#include <cstdio>
#include <cstdlib>
#include <fstream>
#include <map>
#include <thread>

namespace {

constexpr double dt = 1.0 / 60;

const bench::Material& material() {
    const char* elsewhere = std::getenv("GAIT_BENCH_DEMO");
    static const bench::Material made = bench::make_material(elsewhere == nullptr ? "demo/lamplighter.glb" : elsewhere);
    return made;
}

const std::shared_ptr<const gait::Character>& blended(int active) {
    static std::map<int, std::shared_ptr<const gait::Character>> made;
    auto& character = made[active];
    if (!character) { character = bench::blend_of(material(), active); }
    return character;
}

/// The library's whole frame.
void advance(benchmark::State& state) {
    gait::Performer performer(blended(int(state.range(0))));
    for (auto _ : state) {
        performer.advance(dt);
        performer.pose({});
        benchmark::ClobberMemory();
    }
}

void advance_and_skin(benchmark::State& state) {
    gait::Performer performer(blended(int(state.range(0))));
    // On a cache line, as a game would put what it sends to the graphics card.
    std::vector<gait::Matrix4, gait::detail::KeptAllocator<gait::Matrix4, gait::detail::cache_line>> matrices(
        performer.character().joint_count());
    for (auto _ : state) {
        performer.advance(dt);
        performer.skinning_matrices(matrices);
        benchmark::ClobberMemory();
    }
}

/// The kernel alone, over the frames that the library would sample.
void floor_kernel(benchmark::State& state) {
    const gait::detail::CharacterData& data = blended(int(state.range(0)))->data();
    const auto active = std::size_t(state.range(0));
    const std::size_t lanes = data.layout.lanes;
    gait::detail::AlignedFloats out(4 * lanes);
    std::vector<gait::kernels::BlendSource> sources(active);
    std::vector<double> positions(active, 0);
    for (auto _ : state) {
        for (std::size_t c = 0; c < active; ++c) {
            const gait::detail::SampledClip& clip = data.clips[c];
            positions[c] += dt / clip.seconds;
            positions[c] -= double(positions[c] >= 1);
            const double place = positions[c] * clip.intervals;
            const auto frame = std::uint32_t(place);
            const auto second = float(place - frame) / float(active);
            sources[c] = {clip.frame(frame), clip.frame(frame + 1), lanes, 1 / float(active) - second, second, nullptr};
        }
        std::fill(out.begin(), out.end(), 0.0F);
        gait::kernels::accumulate({out.data(), lanes}, sources.data(), active, lanes);
        gait::kernels::normalize({out.data(), lanes}, lanes);
        benchmark::ClobberMemory();
    }
}

/// The textbook's way to blend: pairs of poses, blended in halves.
class Textbook {
public:
    explicit Textbook(int active) : rest_(bench::rest_of(*material().assets.rig)) {
        for (int c = 0; c < active; ++c) { clips_.push_back(bench::textbook_clip(material().clips[std::size_t(c)])); }
        times_.resize(clips_.size(), 0);
    }
    bench::TextbookPose advance(double seconds) {
        std::vector<bench::TextbookPose> poses;
        for (std::size_t c = 0; c < clips_.size(); ++c) {
            times_[c] += seconds;
            while (times_[c] >= double(clips_[c].seconds)) { times_[c] -= double(clips_[c].seconds); }
            poses.push_back(bench::sample(clips_[c], rest_, float(times_[c])));
        }
        while (poses.size() > 1) {
            std::vector<bench::TextbookPose> halves;
            for (std::size_t i = 0; i + 1 < poses.size(); i += 2) {
                halves.push_back(bench::blend(poses[i], poses[i + 1], 0.5F));
            }
            poses = std::move(halves);
        }
        return poses.front();
    }

private:
    bench::TextbookPose rest_;
    std::vector<bench::TextbookClip> clips_;
    std::vector<double> times_;
};

void textbook(benchmark::State& state) {
    Textbook player(int(state.range(0)));
    for (auto _ : state) { benchmark::DoNotOptimize(player.advance(dt)); }
}

void textbook_and_skin(benchmark::State& state) {
    Textbook player(int(state.range(0)));
    for (auto _ : state) { benchmark::DoNotOptimize(bench::skinning(player.advance(dt), *material().assets.rig)); }
}

/// A space whose cursor moves every frame, so that every frame weighs it.
void space(benchmark::State& state) {
    static std::map<std::int64_t, std::shared_ptr<const gait::Character>> made;
    auto& character = made[state.range(0)];
    if (!character) { character = bench::space_of(material(), int(state.range(0))); }
    gait::Performer performer(character);
    const auto x = character->number("x"), y = character->number("y");
    double turn = 0;
    for (auto _ : state) {
        turn += 0.01;
        performer.set(x, float(0.5 + 0.2 * std::cos(turn)));
        performer.set(y, float(0.5 + 0.2 * std::sin(turn)));
        performer.advance(dt);
        performer.pose({});
        benchmark::ClobberMemory();
    }
}

const std::shared_ptr<const gait::Character>& whole_character() {
    static const auto made = bench::whole_of(material());
    return made;
}

/// The cursor goes round, and she leans into it. Worked out beforehand: what a game sets is no part of a frame.
const bench::WholeInputs& whole_inputs(int frame) {
    constexpr std::uint32_t round = 630; // known to the compiler: a frame is not to wait for a division
    static const auto made = [] {
        std::vector<bench::WholeInputs> inputs;
        for (std::uint32_t i = 0; i < round; ++i) {
            const double turn = 2 * gait::pi * i / round;
            inputs.push_back({float(0.5 + 0.2 * std::cos(turn)), float(0.5 + 0.2 * std::sin(turn)),
                              float(0.5 + 0.3 * std::sin(3 * turn))});
        }
        return inputs;
    }();
    return made[std::uint32_t(frame) % round];
}

/// A whole character, and what the game does to it in a frame.
class WholePerformer {
public:
    WholePerformer() {
        const gait::Character& character = performer.character();
        x_ = character.number("x");
        y_ = character.number("y");
        lean_ = character.number("lean");
        performer.play_once(character.one_shot("wave"));
    }
    void advance() {
        const bench::WholeInputs inputs = whole_inputs(frame_++);
        performer.set(x_, inputs.x);
        performer.set(y_, inputs.y);
        performer.set(lean_, inputs.lean);
        performer.advance(dt);
    }
    gait::Performer performer{whole_character()};

private:
    gait::NumberParameter x_, y_, lean_;
    int frame_ = 0;
};

void whole(benchmark::State& state) {
    WholePerformer character;
    for (auto _ : state) {
        character.advance();
        character.performer.pose({});
        benchmark::ClobberMemory();
    }
}

void whole_and_skin(benchmark::State& state) {
    WholePerformer character;
    std::vector<gait::Matrix4, gait::detail::KeptAllocator<gait::Matrix4, gait::detail::cache_line>> matrices(
        whole_character()->joint_count());
    for (auto _ : state) {
        character.advance();
        character.performer.skinning_matrices(matrices);
        benchmark::ClobberMemory();
    }
}

void whole_textbook(benchmark::State& state) {
    bench::WholeTextbook player(material(), *whole_character());
    int frame = 0;
    for (auto _ : state) { benchmark::DoNotOptimize(player.advance(dt, whole_inputs(frame++))); }
}

void whole_textbook_and_skin(benchmark::State& state) {
    bench::WholeTextbook player(material(), *whole_character());
    int frame = 0;
    for (auto _ : state) {
        const bench::TextbookPose pose = player.advance(dt, whole_inputs(frame++));
        benchmark::DoNotOptimize(bench::skinning(pose, *material().assets.rig));
    }
}

/// The kernels alone that a whole character's frame cannot do without: four clips blended, one added, and two laid over
/// the joints that their masks reach.
class WholeFloor {
public:
    WholeFloor()
        : data_(whole_character()->data()), lanes_(data_.layout.lanes), pose_(4 * lanes_), over_(4 * lanes_),
          signs_(lanes_), agreements_(lanes_), results_(lanes_) {
        turn_.resize(4 * lanes_);
        for (std::size_t l = 1; l < data_.layers.size(); ++l) {
            masks_.push_back(data_.masks[data_.layers[l].mask]);
            reach_.push_back(data_.layout.layers[l].reach);
        }
    }
    void frame() {
        phase_ += dt;
        phase_ -= double(phase_ >= 1);
        const gait::kernels::BlendSource sources[] = {source(data_.clips[0], 0.2F), source(data_.clips[1], 0.2F),
                                                      source(data_.clips[2], 0.2F), source(data_.clips[3], 0.4F)};
        blend(pose_, sources, 4, {0, lanes_});
        gait::kernels::normalize({pose_.data(), lanes_}, lanes_);
        const gait::kernels::BlendSource lean = source(data_.additives[0], 0.3F);
        blend(turn_, &lean, 1, {0, lanes_});
        gait::kernels::turn_by({pose_.data(), lanes_}, {turn_.data(), lanes_}, lanes_);
        for (std::size_t l = 0; l < masks_.size(); ++l) {
            const gait::detail::Window reach = reach_[l];
            gait::kernels::BlendSource above = source(data_.clips[4 + l], 1);
            above.from += reach.first;
            above.to += reach.first;
            blend(over_, &above, 1, reach);
            gait::kernels::normalize({over_.data() + reach.first, lanes_}, reach.lanes);
            gait::kernels::blend_rotations(
                {pose_.data() + reach.first, lanes_}, {over_.data() + reach.first, lanes_},
                masks_[l].data() + reach.first,
                {signs_.data() + reach.first, agreements_.data() + reach.first, results_.data() + reach.first},
                reach.lanes);
        }
    }

private:
    void blend(gait::detail::AlignedFloats& out, const gait::kernels::BlendSource* sources, std::size_t count,
               gait::detail::Window window) const {
        for (std::size_t row = 0; row < 4; ++row) {
            std::fill_n(out.data() + row * lanes_ + window.first, window.lanes, 0.0F);
        }
        gait::kernels::accumulate({out.data() + window.first, lanes_}, sources, count, window.lanes);
    }
    [[nodiscard]] gait::kernels::BlendSource source(const gait::detail::SampledClip& clip, float weight) const {
        const double place = phase_ * clip.intervals;
        const auto frame = std::uint32_t(place);
        const float second = weight * float(place - frame);
        return {clip.frame(frame), clip.frame(frame + 1), lanes_, weight - second, second, nullptr};
    }

    const gait::detail::CharacterData& data_;
    std::size_t lanes_;
    gait::detail::AlignedFloats pose_, over_, turn_;
    std::vector<std::int8_t> signs_, agreements_, results_;
    std::vector<gait::detail::AlignedFloats> masks_;
    std::vector<gait::detail::Window> reach_;
    double phase_ = 0;
};

void whole_floor(benchmark::State& state) {
    WholeFloor kernels;
    for (auto _ : state) {
        kernels.frame();
        benchmark::ClobberMemory();
    }
}

/// Degrees between ours and the textbook's, over ten seconds.
double greatest_difference_of_whole() {
    WholePerformer character;
    bench::WholeTextbook player(material(), *whole_character());
    std::vector<gait::Transform> pose(whole_character()->joint_count());
    double worst = 0;
    for (int frame = 0; frame < 600; ++frame) {
        character.advance();
        const bench::TextbookPose reference = player.advance(dt, whole_inputs(frame));
        if (frame == 0) { continue; } // ours begins with the lean as it was before any input
        character.performer.pose(pose);
        for (std::size_t j = 0; j < pose.size(); ++j) {
            worst = std::max(worst, gait::degrees_between(pose[j].rotation, gait::from_eigen(reference.rotations[j])));
        }
    }
    return worst;
}

/// Cost against the size of the document: one state plays, all the others wait.
void machine(benchmark::State& state) {
    static std::map<std::int64_t, std::shared_ptr<const gait::Character>> made;
    auto& character = made[state.range(0)];
    if (!character) { character = bench::machine_of(material(), int(state.range(0))); }
    gait::Performer performer(character);
    for (auto _ : state) {
        performer.advance(dt);
        performer.pose({});
        benchmark::ClobberMemory();
    }
}

/// A crowd of four-clip performers on all cores, a frame each.
void crowd(benchmark::State& state) {
    std::vector<gait::Performer> performers;
    for (int i = 0; i < 1000; ++i) {
        performers.emplace_back(blended(4));
        performers.back().advance(0.001 * i);
    }
    for (auto _ : state) {
        gait::advance_all(performers, dt);
        benchmark::ClobberMemory();
    }
}

/// Both ways must play the same, or the comparison means nothing. Returns the greatest difference, degrees.
double greatest_difference(int active) {
    gait::Performer performer(blended(active));
    Textbook player(active);
    double worst = 0;
    std::vector<gait::Transform> pose(performer.character().joint_count());
    for (int i = 0; i < 200; ++i) {
        performer.advance(dt);
        const bench::TextbookPose reference = player.advance(dt);
        performer.pose(pose);
        for (std::size_t j = 0; j < pose.size(); ++j) {
            worst = std::max(worst, gait::degrees_between(pose[j].rotation, gait::from_eigen(reference.rotations[j])));
        }
    }
    return worst;
}

/// Keeps the least time of each benchmark, nanoseconds.
class Collector : public benchmark::ConsoleReporter {
public:
    Collector() : ConsoleReporter(OO_None) {}
    void ReportRuns(const std::vector<Run>& runs) override {
        for (const Run& run : runs) {
            if (run.run_type != Run::RT_Iteration) { continue; }
            const double time = run.GetAdjustedRealTime();
            auto& least = nanoseconds[run.run_name.function_name + "/" + run.run_name.args];
            least = least == 0 ? time : std::min(least, time);
        }
    }
    std::map<std::string, double> nanoseconds;
};

/// What is wanted of the figures above, line by line.
class Wanted {
public:
    /// `limit`: it cannot be, which the figures themselves show, as `why` says.
    void check(const std::string& what, bool reached, bool limit, const std::string& why) {
        fmt::print("  wanted: {}: {}\n", what, reached ? "kept" : limit ? "LIMIT: " + why : "MISSED");
        kept_ = kept_ && (reached || limit);
    }
    [[nodiscard]] bool kept() const { return kept_; }

private:
    bool kept_ = true;
};

/// Nanoseconds of the benchmarks that were run.
using Times = std::map<std::string, double>;

/// Prints what blends of so many clips cost. False when one is dearer than is wanted.
bool report_clips(Times& ns, nlohmann::json& report) {
    fmt::print("  active clips   advance     floor  (1.5 x floor + 200)   textbook/advance   matrices/pose   with "
               "matrices: textbook/ours   degrees apart\n");
    bool kept = true;
    for (const int active : {1, 2, 4, 8}) {
        const auto at = [&](const std::string& name) { return ns[fmt::format("{}/{}", name, active)]; };
        const double allowed = 1.5 * at("floor") + 200, times = at("textbook") / at("advance");
        const double matrices = (at("advance_and_skin") - at("advance")) / at("advance"),
                     skinned = at("textbook_and_skin") / at("advance_and_skin");
        const double apart = greatest_difference(active);
        fmt::print("  {:12}  {:5.0f} ns  {:5.0f} ns  {:16.0f} ns  {:16.1f}x  {:14.2f}  {:27.1f}x  {:14.3f}\n", active,
                   at("advance"), at("floor"), allowed, times, matrices, skinned, apart);
        report["active"][std::to_string(active)] = {
            {"advance_ns", at("advance")},    {"floor_ns", at("floor")},
            {"allowed_ns", allowed},          {"textbook_over_advance", times},
            {"matrices_over_pose", matrices}, {"textbook_over_ours_with_matrices", skinned},
            {"degrees_apart", apart}};
        if (active >= 4) { kept = kept && at("advance") <= allowed && times >= 30 && matrices <= 2 && apart <= 0.1; }
    }
    fmt::print("\n  wanted at 4 and 8 clips (within 1.5 x floor + 200 ns, 30 times textbook, matrices at most 2 poses, "
               "0.1 degree): {}\n",
               kept ? "kept" : "MISSED");
    return kept;
}

/// Prints what does not grow with the document, and what a crowd of the made-up ones does.
void report_sizes(Times& ns, nlohmann::json& report) {
    fmt::print("\n  states in the document   advance\n");
    for (const int states : {10, 100, 1000}) {
        fmt::print("  {:22}  {:5.0f} ns\n", states, ns[fmt::format("machine/{}", states)]);
        report["states"][std::to_string(states)] = ns[fmt::format("machine/{}", states)];
    }
    fmt::print("\n  points of a space, three with weight, its cursor moving   advance   times that of four points\n");
    for (const int points : {4, 24, 60}) {
        const double here = ns[fmt::format("space/{}", points)], times = here / ns["space/4"];
        fmt::print("  {:55}  {:5.0f} ns  {:.2f}\n", points, here, times);
        report["space"][std::to_string(points)] = {{"advance_ns", here}, {"times_that_of_four", times}};
    }
    const double each = ns["crowd/1000"] / 1000, carried = 1e9 / 60 / each;
    fmt::print("\n  on {} cores, four clips each: {:.0f} ns a performer, {:.0f} performers at 60 Hz\n",
               std::thread::hardware_concurrency(), each, carried);
    report["crowd"] = {
        {"cores", std::thread::hardware_concurrency()}, {"ns_a_performer", each}, {"performers_at_60_hz", carried}};
}

/// Prints what a whole character costs. False when it is more than is wanted.
bool report_whole(Times& ns, nlohmann::json& report) {
    const gait::detail::CharacterData& data = whole_character()->data();
    const double advance = ns["whole/"], floor = ns["whole_floor/"], allowed = 1.5 * floor + 300;
    const double times = ns["whole_textbook/"] / advance,
                 skinned = ns["whole_textbook_and_skin/"] / ns["whole_and_skin/"];
    const double apart = greatest_difference_of_whole();
    const std::size_t own = data.layout.pose, layers = data.layers.size();
    const double allowed_bytes = 1024 + 1638.4 * double(layers);
    fmt::print("\n  a whole character (a space of 24 points, a crossfade, a lean, arms, a one-shot):\n"
               "    advance {:.0f} ns, floor {:.0f} ns, allowed 1.5 x floor + 300 = {:.0f} ns\n"
               "    textbook {:.1f} times as long, with matrices {:.1f} times; {:.3f} degrees apart\n"
               "    {} layers: {} bytes beside the pose, allowed {:.0f}\n",
               advance, floor, allowed, times, skinned, apart, layers, own, allowed_bytes);
    report["whole"] = {{"advance_ns", advance},
                       {"floor_ns", floor},
                       {"allowed_ns", allowed},
                       {"textbook_over_advance", times},
                       {"textbook_over_ours_with_matrices", skinned},
                       {"degrees_apart", apart},
                       {"bytes_beside_pose", own},
                       {"allowed_bytes", allowed_bytes}};
    Wanted wanted;
    wanted.check(fmt::format("a whole character: {:.0f} ns, {:.0f} at most", advance, allowed), advance <= allowed,
                 false, "");
    const double textbook = ns["whole_textbook/"];
    wanted.check(
        fmt::format("a whole character: textbook {:.1f} times as long, 30 wanted", times), times >= 30,
        textbook / 30 < allowed,
        fmt::format("that would be {:.0f} ns, less than those {:.0f}; the bare kernels are {:.0f} times as fast",
                    textbook / 30, allowed, textbook / floor));
    wanted.check("a whole character: the same pose to within 0.1 degree", apart <= 0.1, false, "");
    wanted.check("a whole character: no more bytes than allowed", double(own) <= allowed_bytes, false, "");
    return wanted.kept();
}

/// The processor's clock: a product waits three cycles for the one before it, a sum one.
double cycles_a_nanosecond() {
    constexpr int steps = 100'000, cycles_a_step = 4;
    double least = 1e18;
    for (int run = 0; run < 20; ++run) {
        std::uint64_t value = 1;
        const auto begun = std::chrono::steady_clock::now();
        for (int i = 0; i < steps; ++i) {
            value = value * 6364136223846793005U + 1442695040888963407U;
            benchmark::DoNotOptimize(value);
        }
        const std::chrono::duration<double, std::nano> took = std::chrono::steady_clock::now() - begun;
        least = std::min(least, took.count());
    }
    return steps * cycles_a_step / least;
}

/// What is kept of a row that was counted; nothing where there is none.
nlohmann::json kept_count(const std::filesystem::path& demo, const std::string& row) {
    std::ifstream file(demo / "../bench/instructions.json");
    const nlohmann::json kept = nlohmann::json::parse(file, nullptr, false);
    return kept.is_object() ? kept.value(row, nlohmann::json::object()) : nlohmann::json::object();
}

/// Nanoseconds that a mean frame of `row` takes for what it does outside the kernels, if four instructions were done in
/// every cycle: by the count that is kept; 0 where there is none.
double least_outside_kernels(const std::filesystem::path& demo, const std::string& row) {
    const nlohmann::json kept = kept_count(demo, row);
    if (kept.empty()) { return 0; }
    double instructions = kept["instructions"];
    for (const auto& [function, cost] : kept["functions"].items()) {
        if (function.starts_with("gait::kernels::")) { instructions -= cost.get<double>(); }
    }
    return instructions / 4 / cycles_a_nanosecond();
}

/// Prints what the documents that ship cost. False when a frame is dearer than is wanted, and no limit is shown.
bool report_shipped(const std::filesystem::path& demo, nlohmann::json& report) {
    fmt::print(
        "\n  the documents that ship, by their cue sheets; inputs set and the pose taken in every frame\n"
        "  row            mean   advance alone     floor   99 of 100     worst   worst/its second   done again\n");
    const std::vector<bench::ShippedRow> rows = bench::shipped_rows(demo);
    Wanted wanted;
    for (const bench::ShippedRow& row : rows) {
        const std::string again = row.again_over_second > 0 ? fmt::format("{:.1f}", row.again_over_second) : "";
        fmt::print("  {:10}  {:5.0f} ns  {:11.0f} ns  {:5.0f} ns  {:7.0f} ns  {:5.0f} ns  {:17.1f}  {:>11}\n", row.name,
                   row.mean, row.advance, row.floor, row.ninety_ninth, row.worst, row.worst_over_second, again);
        report["shipped"][row.name] = {{"frames", row.frames},
                                       {"mean_ns", row.mean},
                                       {"advance_ns", row.advance},
                                       {"99th_percentile_ns", row.ninety_ninth},
                                       {"worst_ns", row.worst},
                                       {"worst_over_its_second", row.worst_over_second},
                                       {"worst_again_over_its_second", row.again_over_second},
                                       {"floor_ns", row.floor},
                                       {"textbook_ns", row.textbook}};
    }
    for (const bench::ShippedRow& row : rows) {
        // In instructions a test holds it, where a document enters states.
        const double counted = kept_count(demo, row.name + "_entrance").value("over_its_second", 0.0);
        const bool kept = counted > 0 ? counted <= 3 : row.again_over_second <= 3;
        const std::string in_instructions =
            counted > 0 ? fmt::format("counted it is {:.1f} times (bench/instructions.json), ", counted) : "";
        wanted.check(fmt::format("{}: no frame over 3 times the mean of its second", row.name),
                     row.worst_over_second <= 3, kept,
                     fmt::format("{}done again at once {:.1f}: the rest is code and data that a processor no longer "
                                 "has at hand",
                                 in_instructions, row.again_over_second));
    }
    const auto round =
        std::find_if(rows.begin(), rows.end(), [](const bench::ShippedRow& row) { return row.name == "round"; });
    const double allowed = 1.5 * round->floor + 300, times = round->textbook / round->mean;
    const double outside = least_outside_kernels(demo, "round");
    wanted.check(fmt::format("round: {:.0f} ns within 1.5 x floor + 300 ns, {:.0f}", round->mean, allowed),
                 round->mean <= allowed, outside + round->floor > allowed,
                 fmt::format("what it does outside those kernels would take {:.0f} ns at four instructions in every "
                             "cycle (bench/instructions.json; docs/performance.md says what they are)",
                             outside));
    wanted.check(
        fmt::format("round: textbook {:.1f} times as long, 40 wanted", times), times >= 40,
        round->textbook / 40 < allowed,
        fmt::format("that would be {:.0f} ns, less than those {:.0f}; the bare kernels are {:.0f} times as fast",
                    round->textbook / 40, allowed, round->textbook / round->floor));
    return wanted.kept();
}

/// A crowd on more than one core that stays in their caches: what such cores take from one another.
bool is_in_cache_on_more(const bench::CrowdRow& row) { return row.performers == 100 && row.threads > 1; }

/// Prints what one of many takes. False when a crowd is dearer than is wanted, and no limit is shown.
bool report_crowds(const std::filesystem::path& demo, nlohmann::json& report) {
    fmt::print(
        "\n  lamplighters strolling     characters   threads   matrices   a performer and thread   against one   "
        "with its memory\n");
    const std::vector<bench::CrowdRow> rows = bench::crowd_rows(demo);
    for (const bench::CrowdRow& row : rows) {
        fmt::print("  {:23}  {:6}{:6}  {:8}  {:9}  {:19.0f} ns  {:10.2f}x  {:14.2f}x\n", row.performers, row.casts,
                   row.mixed ? " mixed" : "", row.threads, row.matrices ? "yes" : "no", row.nanoseconds,
                   row.over_single, row.over_beside_lines);
        report["crowds"].push_back({{"performers", row.performers},
                                    {"characters", row.casts},
                                    {"mixed", row.mixed},
                                    {"threads", row.threads},
                                    {"matrices", row.matrices},
                                    {"ns", row.nanoseconds},
                                    {"over_single", row.over_single},
                                    {"bytes_touched", row.bytes_touched},
                                    {"lines_changed", row.lines_changed},
                                    {"lines_only_read", row.lines_only_read},
                                    {"over_beside_lines", row.over_beside_lines}});
    }
    Wanted wanted;
    constexpr double as_much = 1.1; // two measures that tell no more than that differ
    for (const bench::CrowdRow& row : rows) {
        if (row.performers == 1 || is_in_cache_on_more(row)) { continue; }
        const double most = row.casts > 1 ? 1.6 : 1.3;
        const std::string name =
            fmt::format("{} of {} on {}{}", row.performers,
                        row.mixed ? fmt::format("{} mixed", row.casts) : fmt::format("{}", row.casts), row.threads,
                        row.matrices ? " with matrices" : "");
        // One that is alone has its lines in the cache.
        wanted.check(fmt::format("{}: {:.2f} times one alone, {:.1f} at most", name, row.over_single, most),
                     row.over_single <= most, row.over_beside_lines <= as_much,
                     fmt::format("{:.2f} times one alone beside whose frames such lines are read and written: what is "
                                 "waited for is memory",
                                 row.over_beside_lines));
        if (row.performers == 10'000 && row.threads == 2 && row.matrices) {
            const auto of_cores = [&](double nanoseconds) {
                return 60 * 10'000 * nanoseconds / double(row.threads) / 1e9;
            };
            const auto in_cache = std::find_if(rows.begin(), rows.end(), [&](const bench::CrowdRow& other) {
                return is_in_cache_on_more(other) && other.threads == row.threads && other.matrices == row.matrices;
            });
            const double seconds = of_cores(row.nanoseconds), least = of_cores(in_cache->nanoseconds);
            wanted.check(
                fmt::format("ten thousand with matrices at 60 Hz take {:.2f} of two cores, 1 at most", seconds),
                seconds <= 1, seconds <= 1.3 * least && least > 1 / 1.3,
                fmt::format("a hundred, in their caches, take a hundredth of {:.2f}", least));
        }
    }
    fmt::print("\n  less detail                         a frame   of full detail\n");
    for (const bench::DetailRow& row : bench::detail_rows(demo)) {
        fmt::print("  {:32}  {:6.0f} ns  {:14.2f}\n", row.name, row.nanoseconds, row.instead_of);
        report["detail"][row.name] = {{"ns", row.nanoseconds}, {"of_full", row.instead_of}};
    }
    return wanted.kept();
}

} // namespace

int main(int argument_count, char** arguments) {
    constexpr int repetitions = 21;
    constexpr double shortest = 0.015; // seconds
    const std::string json_path = argument_count > 1 && arguments[1][0] != '-' ? arguments[1] : "";
    for (auto* run :
         {benchmark::RegisterBenchmark("advance", advance),
          benchmark::RegisterBenchmark("advance_and_skin", advance_and_skin),
          benchmark::RegisterBenchmark("floor", floor_kernel), benchmark::RegisterBenchmark("textbook", textbook),
          benchmark::RegisterBenchmark("textbook_and_skin", textbook_and_skin)}) {
        run->Arg(1)->Arg(2)->Arg(4)->Arg(8)->Repetitions(repetitions)->MinTime(shortest);
    }
    benchmark::RegisterBenchmark("machine", machine)
        ->Arg(10)
        ->Arg(100)
        ->Arg(1000)
        ->Repetitions(repetitions)
        ->MinTime(shortest);
    benchmark::RegisterBenchmark("space", space)->Arg(4)->Arg(24)->Arg(60)->Repetitions(repetitions)->MinTime(shortest);
    for (auto* run :
         {benchmark::RegisterBenchmark("whole", whole), benchmark::RegisterBenchmark("whole_and_skin", whole_and_skin),
          benchmark::RegisterBenchmark("whole_floor", whole_floor),
          benchmark::RegisterBenchmark("whole_textbook", whole_textbook),
          benchmark::RegisterBenchmark("whole_textbook_and_skin", whole_textbook_and_skin)}) {
        run->Repetitions(repetitions)->MinTime(shortest);
    }
    benchmark::RegisterBenchmark("crowd", crowd)->Arg(1000)->Repetitions(repetitions)->MinTime(shortest)->UseRealTime();
    // By turns, for a machine that others share goes now faster, now slower.
    std::vector<char*> with_turns(arguments, arguments + argument_count);
    std::string turns = "--benchmark_enable_random_interleaving=true";
    with_turns.insert(with_turns.begin() + 1, turns.data());
    int with_turns_count = int(with_turns.size());
    benchmark::Initialize(&with_turns_count, with_turns.data());
    Collector collector;
    benchmark::RunSpecifiedBenchmarks(&collector);
    auto& ns = collector.nanoseconds;

    nlohmann::json report;
    report["instruction_set"] = gait::runnable_targets().front();
    report["joints"] = blended(1)->joint_count();
    fmt::print("{} joints, {} \n\n", blended(1)->joint_count(), gait::runnable_targets().front());
    // Those that a filter leaves out have no figures.
    const std::initializer_list<const char*> made_up{"advance/8",    "floor/8",  "textbook/8", "textbook_and_skin/8",
                                                     "machine/1000", "space/60", "crowd/1000"};
    const bool all_ran = std::ranges::all_of(made_up, [&](const char* name) { return ns.contains(name); });
    const bool clips_kept = !all_ran || report_clips(ns, report);
    if (all_ran) { report_sizes(ns, report); }
    const bool whole_kept = !ns.contains("whole/") || report_whole(ns, report);
    const char* demo = std::getenv("GAIT_BENCH_DEMO");
    const std::filesystem::path rig = demo != nullptr ? demo : "demo/lamplighter.glb";
    const bool shipped_kept = report_shipped(rig.parent_path(), report),
               crowds_kept = report_crowds(rig.parent_path(), report);
    const gait::detail::CharacterData& data = blended(4)->data();
    const std::size_t pose_bytes = data.layout.pose_rows * data.layout.lanes * sizeof(float),
                      all = blended(4)->performer_bytes();
    fmt::print("  bytes a performer: {}, of which its pose {}\n", all, pose_bytes);
    report["bytes"] = {{"performer", all}, {"pose", pose_bytes}};
    const bool kept = clips_kept && whole_kept && shipped_kept && crowds_kept;
    report["kept"] = kept;
    if (!json_path.empty()) { std::ofstream(json_path) << report.dump(2) << "\n"; }
    return kept ? 0 : 1;
}
