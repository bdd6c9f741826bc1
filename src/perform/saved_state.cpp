#include "gait/saved_state.hpp"

#include "perform/blend_layers.hpp"
#include "perform/block_check.hpp"
#include "perform/block_of.hpp"
#include "perform/input_step.hpp"
#include "perform/machine_step.hpp"
#include "perform/named_nodes.hpp"
#include "perform/playheads.hpp"
#include "perform/shared_phase.hpp"
#include "perform/weights.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <cstring>
#include <utility>

namespace gait {
namespace detail {
namespace {

constexpr std::array<char, 8> saved_magic{'g', 'a', 'i', 't', 's', 'a', 'v', 'e'};
constexpr std::uint32_t saved_version = 1;

class Saver {
public:
    template <typename Value> void number(Value value) {
        const auto raw = std::as_bytes(std::span(&value, 1));
        bytes.insert(bytes.end(), raw.begin(), raw.end());
    }
    void count(std::size_t count) { number(std::uint32_t(count)); }
    void text(const std::string& text) {
        count(text.size());
        for (const char c : text) { bytes.push_back(std::byte(c)); }
    }
    std::vector<std::byte> bytes;
};

/// Reads what a `Saver` wrote; whatever the bytes, it ends, and says whether they were that.
class Loader {
public:
    explicit Loader(std::span<const std::byte> bytes) : left_(bytes) {}
    [[nodiscard]] bool failed() const { return failed_; }
    [[nodiscard]] bool is_done() const { return !failed_ && left_.empty(); }

    template <typename Value> Value number() {
        Value value{};
        if (left_.size() < sizeof value) {
            failed_ = true;
            return value;
        }
        std::memcpy(&value, left_.data(), sizeof value);
        left_ = left_.subspan(sizeof value);
        // No state has a number that is none.
        if constexpr (std::is_floating_point_v<Value>) { failed_ = failed_ || !std::isfinite(value); }
        return failed_ ? Value{} : value;
    }
    /// Of what takes a byte each at least.
    std::size_t count() {
        const auto count = number<std::uint32_t>();
        failed_ = failed_ || count > left_.size();
        return failed_ ? 0 : count;
    }
    std::string text() {
        const std::size_t size = count();
        std::string text(reinterpret_cast<const char*>(left_.data()), size);
        left_ = left_.subspan(size);
        return text;
    }

private:
    std::span<const std::byte> left_;
    bool failed_ = false;
};

/// The word that a choice stands at.
std::string word_of(const ParameterInfo& info, float value) {
    const bool there = info.kind == ParameterKind::choice && value >= 0 && value < float(info.of.size());
    return there ? std::string(info.of[std::size_t(value)]) : std::string();
}

/// The clips of a motion, by name.
std::vector<std::string> clip_names(const CharacterData& data, const CompiledState& state) {
    std::vector<std::string> names;
    if (state.kind != NodeKind::motion) { return names; }
    for (const Leaf& leaf : data.motions.leaves_of(data.motions.motions[state.motion])) {
        names.push_back(data.clip_info[leaf.clip].name);
    }
    return names;
}

/// The visible states of a layer that keep something while they are left.
std::vector<std::uint16_t> remembering(const CharacterData& data, std::size_t layer) {
    std::vector<std::uint16_t> nodes;
    for (std::size_t n = 0; n < data.states.size(); ++n) {
        const CompiledState& state = data.states[n];
        const bool keeps = state.resume != no_index || state.kind == NodeKind::pick;
        if (keeps && state.layer == layer && is_visible(data, std::uint16_t(n))) { nodes.push_back(std::uint16_t(n)); }
    }
    return nodes;
}

class StateSaver {
public:
    explicit StateSaver(const Performer& performer)
        : data_(performer.character().data()), block_(block_of(performer)) {}

    std::vector<std::byte> run() {
        for (const char c : saved_magic) { out_.number(c); }
        out_.number(saved_version);
        const PerformerHeader& header = block_.header();
        out_.number(header.time);
        out_.number(header.scale);
        out_.number(header.seed);
        out_.number(header.game_moves);
        parameters();
        cursors();
        memories();
        signals();
        out_.count(data_.layers.size());
        for (std::size_t l = 0; l < data_.layers.size(); ++l) { layer(block_.of_layer(l)); }
        return std::move(out_.bytes);
    }

private:
    void parameters() {
        out_.count(data_.parameters.size());
        for (std::size_t p = 0; p < data_.parameters.size(); ++p) {
            const ParameterInfo& info = data_.parameters[p];
            out_.text(info.name);
            out_.number(std::uint8_t(info.kind));
            out_.number(block_.raw()[p]);
            out_.number(block_.smoothed()[p]);
            out_.text(word_of(info, block_.raw()[p]));
            const std::uint16_t follows = data_.smoothed_of[p];
            const SmoothedState state = follows == no_index ? SmoothedState{} : block_.smoothed_states()[follows];
            for (const double part : {state.value, state.velocity, state.limited}) { out_.number(part); }
        }
    }
    void cursors() {
        out_.count(data_.cursors.size());
        for (std::size_t c = 0; c < data_.cursors.size(); ++c) {
            out_.text(data_.parameters[data_.cursors[c].number].name);
            out_.text(data_.parameters[data_.cursors[c].angle].name);
            const CursorState& state = block_.cursor_states()[c];
            for (const auto* pair : {state.value, state.velocity, state.limited}) {
                out_.number(pair[0]);
                out_.number(pair[1]);
            }
            out_.number(block_.cursors()[c].x);
            out_.number(block_.cursors()[c].y);
        }
    }
    void memories() {
        out_.count(data_.computed.size());
        for (std::size_t c = 0; c < data_.computed.size(); ++c) {
            const ComputedParameter& computed = data_.computed[c];
            const bool named = computed.slot < data_.parameters.size();
            out_.text(named ? data_.parameters[computed.slot].name : KeptText());
            out_.number(std::uint8_t(computed.source));
            out_.number(block_.memory()[c]);
        }
    }
    void signals() {
        out_.count(data_.signals.size());
        for (std::size_t s = 0; s < data_.signals.size(); ++s) {
            const SentSignal& sent = block_.signals()[s];
            out_.text(data_.parameters[data_.signals[s].slot].name);
            out_.number(sent.age);
            out_.number(sent.wait_left);
            out_.number(std::uint8_t(sent.offered != 0));
            out_.number(std::uint8_t(sent.began_wait != 0));
            out_.count(data_.layers.size());
            for (std::size_t l = 0; l < data_.layers.size(); ++l) {
                out_.text(((sent.pending >> l) & 1U) != 0 ? data_.layers[l].name : KeptText());
            }
        }
    }
    void layer(const PerformerBlock& own) {
        const LayerHeader& header = own.layer();
        out_.text(data_.layers[own.layer_index()].name);
        out_.number(header.draws);
        out_.number(header.weight.value);
        out_.number(header.weight.velocity);
        std::size_t seen = 0;
        for (std::size_t level = 0; level < header.depth; ++level) {
            seen += is_visible(data_, header.path[level].node) ? 1 : 0;
        }
        out_.count(seen);
        for (std::size_t level = 0; level < header.depth; ++level) {
            const ActiveNode& active = header.path[level];
            if (!is_visible(data_, active.node)) { continue; }
            out_.text(visible_name(data_, active.node));
            out_.number(active.elapsed);
            out_.number(active.draw);
        }
        memories_of(own);
        const Instance& played = header.instances[header.instance_count - 1U];
        const std::vector<std::string> clips = clip_names(data_, data_.states[played.state]);
        out_.count(clips.size());
        for (const std::string& clip : clips) { out_.text(clip); }
        const std::size_t terms = data_.motions.motions[data_.states[played.state].motion].term_count;
        out_.count(terms);
        for (std::size_t t = 0; t < terms; ++t) {
            out_.number(own.term_states(played)[t].value);
            out_.number(own.term_states(played)[t].velocity);
        }
        out_.number(played.elapsed);
        out_.number(std::uint8_t(played.finished != 0));
        const auto leaves = leaves_of(data_, played);
        const auto playing = own.playing(played);
        out_.count(playing.size());
        for (const Playhead& playhead : playing) {
            const Leaf& leaf = leaves[playhead.leaf];
            const ClipPlace place = place_of(data_, header, played, leaf, playhead);
            out_.text(data_.clip_info[leaf.clip].name);
            out_.number(place.position);
            out_.number(place.loops);
        }
    }

    /// Where machines were left that go on from there, and what picks have dealt.
    void memories_of(const PerformerBlock& own) {
        const auto nodes = remembering(data_, own.layer_index());
        out_.count(nodes.size());
        for (const std::uint16_t node : nodes) {
            const CompiledState& state = data_.states[node];
            const std::uint16_t left_in = state.resume == no_index ? no_index : block_.resumes()[state.resume];
            const Deal deal = state.kind == NodeKind::pick ? block_.deals()[state.selector] : Deal{};
            out_.text(visible_name(data_, node));
            out_.text(left_in == no_index ? KeptText() : visible_name(data_, left_in));
            out_.number(std::uint32_t(state.kind == NodeKind::pick ? data_.picks[state.selector].entries.size() : 0));
            out_.number(deal.dealt);
            for (const std::uint16_t part : {deal.current, deal.next, deal.last, deal.times}) { out_.number(part); }
            out_.number(deal.loops);
        }
    }

    const CharacterData& data_;
    PerformerBlock block_;
    Saver out_;
};

/// A layer as it was saved.
struct SavedLayer {
    std::string name;
    std::uint64_t draws = 0;
    TermState weight;
    struct Node {
        std::string name;
        double elapsed = 0;
        std::uint32_t draw = 0;
    };
    std::vector<Node> path; ///< the outermost first
    struct Kept {
        std::string name, left_in;
        std::uint32_t entries = 0; ///< of a pick
        Deal deal;
    };
    std::vector<Kept> kept;
    std::vector<std::string> motion; ///< the clips of what is played
    std::vector<TermState> terms;    ///< its weights by expressions, as they fade
    double elapsed = 0;
    bool finished = false;
    struct Clip {
        std::string name;
        double position = 0;
        std::uint32_t loops = 0;
    };
    std::vector<Clip> clips;
};

class StateLoader {
public:
    StateLoader(Performer& performer, std::span<const std::byte> saved)
        : performer_(performer), data_(performer.character().data()), block_(block_of(performer)), in_(saved) {}

    LoadedState run() {
        bool is_one = true;
        for (const char c : saved_magic) { is_one = in_.number<char>() == c && is_one; }
        if (!is_one) { return refused("it is no saved state of a performer"); }
        if (in_.number<std::uint32_t>() != saved_version) {
            return refused("another version of the library saved it, in a form that this one does not read");
        }
        performer_.reset();
        PerformerHeader& header = block_.header();
        header.time = in_.number<double>();
        header.scale = in_.number<double>();
        header.seed = in_.number<std::uint64_t>();
        header.game_moves = in_.number<std::uint8_t>();
        header.started = header.entered = 1;
        Layers layers(data_, block_, nullptr);
        const std::vector<SavedParameter> parameters = saved_parameters();
        take_parameters(parameters, Computed::no);
        recompute_inputs(layers[0]);
        // What is computed, and the cursors, have begun by the inputs as they are.
        take_parameters(parameters, Computed::yes);
        cursors();
        memories();
        signals();
        const std::size_t count = in_.count();
        for (std::size_t l = 0; l < count && !in_.failed(); ++l) { layer(layers, saved_layer()); }
        if (!in_.is_done()) { return refused("its bytes are not those that were saved"); }
        look_at_layers(layers[0]);
        header.moved = header.to_compute = ~SlotSet{0};
        header.inputs_settle = 1;
        layers.each([](Frame& frame) { weigh_again(frame); });
        fill_rest(data_, {0, data_.layout.lanes}, {block_.pose(), data_.layout.lanes});
        evaluate_pose(data_, block_);
        if (!is_sound(data_, block_)) { return refused("what it says cannot be played"); }
        loaded_.loaded = true;
        return std::move(loaded_);
    }

private:
    static LoadedState refused(std::string problem) { return {false, std::move(problem), {}}; }

    [[nodiscard]] std::optional<std::size_t> parameter_named(const std::string& name) const {
        const auto found = std::find_if(data_.parameters.begin(), data_.parameters.end(),
                                        [&](const ParameterInfo& info) { return info.name == name; });
        return found == data_.parameters.end() ? std::nullopt
                                               : std::optional(std::size_t(found - data_.parameters.begin()));
    }

    struct SavedParameter {
        std::string name, word;
        std::uint8_t kind = 0;
        float raw = 0, smoothed = 0;
        SmoothedState state;
    };

    std::vector<SavedParameter> saved_parameters() {
        std::vector<SavedParameter> all;
        const std::size_t count = in_.count();
        for (std::size_t i = 0; i < count && !in_.failed(); ++i) {
            SavedParameter& saved = all.emplace_back();
            saved.name = in_.text();
            saved.kind = in_.number<std::uint8_t>();
            saved.raw = in_.number<float>();
            saved.smoothed = in_.number<float>();
            saved.word = in_.text();
            for (double* part : {&saved.state.value, &saved.state.velocity, &saved.state.limited}) {
                *part = in_.number<double>();
            }
            const auto p = parameter_named(saved.name);
            if (!p || std::uint8_t(data_.parameters[*p].kind) != saved.kind) { loaded_.gone.push_back(saved.name); }
        }
        return all;
    }

    enum class Computed : std::uint8_t { no, yes };
    void take_parameters(const std::vector<SavedParameter>& all, Computed which) {
        for (const SavedParameter& saved : all) {
            const auto p = parameter_named(saved.name);
            if (!p || std::uint8_t(data_.parameters[*p].kind) != saved.kind) { continue; }
            const ParameterInfo& info = data_.parameters[*p];
            if (info.computed != (which == Computed::yes)) { continue; }
            float raw = saved.raw;
            if (info.kind == ParameterKind::choice) {
                const auto same = std::find(info.of.begin(), info.of.end(), saved.word);
                if (same == info.of.end()) { continue; }
                raw = float(same - info.of.begin());
            }
            block_.raw()[*p] = within_range(info, raw);
            block_.smoothed()[*p] = block_.raw()[*p];
            if (data_.smoothed_of[*p] == no_index) { continue; }
            block_.smoothed_states()[data_.smoothed_of[*p]] = saved.state;
            block_.smoothed()[*p] = within_range(info, saved.smoothed);
        }
    }

    void cursors() {
        const std::size_t count = in_.count();
        for (std::size_t i = 0; i < count && !in_.failed(); ++i) {
            const std::string number = in_.text(), angle = in_.text();
            CursorState state;
            for (auto* pair : {state.value, state.velocity, state.limited}) {
                pair[0] = in_.number<double>();
                pair[1] = in_.number<double>();
            }
            PlanePoint shown;
            shown.x = in_.number<double>();
            shown.y = in_.number<double>();
            for (std::size_t c = 0; c < data_.cursors.size(); ++c) {
                if (data_.parameters[data_.cursors[c].number].name != number ||
                    data_.parameters[data_.cursors[c].angle].name != angle) {
                    continue;
                }
                block_.cursor_states()[c] = state;
                block_.cursors()[c] = shown;
            }
        }
    }

    void memories() {
        const std::size_t count = in_.count();
        std::vector<char> taken(data_.computed.size(), 0);
        for (std::size_t i = 0; i < count && !in_.failed(); ++i) {
            const std::string name = in_.text();
            const auto source = in_.number<std::uint8_t>();
            const auto memory = in_.number<double>();
            for (std::size_t c = 0; c < data_.computed.size(); ++c) {
                const ComputedParameter& now = data_.computed[c];
                const bool named = now.slot < data_.parameters.size();
                if (taken[c] != 0 || std::uint8_t(now.source) != source ||
                    (named ? data_.parameters[now.slot].name : KeptText()) != name) {
                    continue;
                }
                taken[c] = 1;
                // Those without a name stand in the order in which the document asks for them.
                if (named) { block_.memory()[c] = memory; }
                break;
            }
        }
    }

    [[nodiscard]] std::optional<std::size_t> layer_named(const std::string& name) const {
        const auto found = std::find_if(data_.layers.begin(), data_.layers.end(),
                                        [&](const CompiledLayer& layer) { return layer.name == name; });
        return found == data_.layers.end() ? std::nullopt : std::optional(std::size_t(found - data_.layers.begin()));
    }

    void signals() {
        const std::size_t count = in_.count();
        for (std::size_t i = 0; i < count && !in_.failed(); ++i) {
            const std::string name = in_.text();
            SentSignal sent;
            sent.age = in_.number<double>();
            sent.wait_left = in_.number<double>();
            sent.offered = in_.number<std::uint8_t>();
            sent.began_wait = in_.number<std::uint8_t>();
            const std::size_t layers = in_.count();
            for (std::size_t l = 0; l < layers && !in_.failed(); ++l) {
                const auto layer = layer_named(in_.text());
                if (layer) { sent.pending |= std::uint16_t(1U << *layer); }
            }
            for (std::size_t s = 0; s < data_.signals.size(); ++s) {
                if (data_.parameters[data_.signals[s].slot].name != name) { continue; }
                block_.signals()[s] = sent;
                if (sent.pending != 0 || sent.wait_left > 0) { block_.header().signals_live = 1; }
            }
        }
    }

    SavedLayer saved_layer() {
        SavedLayer layer;
        layer.name = in_.text();
        layer.draws = in_.number<std::uint64_t>();
        layer.weight.value = in_.number<double>();
        layer.weight.velocity = in_.number<double>();
        const std::size_t depth = in_.count();
        for (std::size_t level = 0; level < depth && !in_.failed(); ++level) {
            auto& node = layer.path.emplace_back();
            node.name = in_.text();
            node.elapsed = in_.number<double>();
            node.draw = in_.number<std::uint32_t>();
        }
        const std::size_t kept = in_.count();
        for (std::size_t k = 0; k < kept && !in_.failed(); ++k) {
            auto& one = layer.kept.emplace_back();
            one.name = in_.text();
            one.left_in = in_.text();
            one.entries = in_.number<std::uint32_t>();
            one.deal.dealt = in_.number<std::uint64_t>();
            for (std::uint16_t* part : {&one.deal.current, &one.deal.next, &one.deal.last, &one.deal.times}) {
                *part = in_.number<std::uint16_t>();
            }
            one.deal.loops = in_.number<std::uint32_t>();
        }
        const std::size_t leaves = in_.count();
        for (std::size_t c = 0; c < leaves && !in_.failed(); ++c) { layer.motion.push_back(in_.text()); }
        const std::size_t terms = in_.count();
        for (std::size_t t = 0; t < terms && !in_.failed(); ++t) {
            auto& term = layer.terms.emplace_back();
            term.value = in_.number<double>();
            term.velocity = in_.number<double>();
        }
        layer.elapsed = in_.number<double>();
        layer.finished = in_.number<std::uint8_t>() != 0;
        const std::size_t clips = in_.count();
        for (std::size_t c = 0; c < clips && !in_.failed(); ++c) {
            auto& clip = layer.clips.emplace_back();
            clip.name = in_.text();
            clip.position = in_.number<double>();
            clip.loops = in_.number<std::uint32_t>();
        }
        return layer;
    }

    void layer(Layers& layers, const SavedLayer& saved) {
        const auto own = layer_named(saved.name);
        if (!own || in_.failed()) { return; }
        Frame& frame = layers[*own];
        frame.layer.draws = saved.draws;
        frame.layer.weight = saved.weight;
        // The innermost that is still there.
        std::optional<std::uint16_t> target;
        for (std::size_t level = saved.path.size(); level-- > 0 && !target;) {
            target = node_named(data_, *own, saved.path[level].name);
            if (!target) { loaded_.gone.push_back(saved.name + "." + saved.path[level].name); }
        }
        if (!target) { return; }
        // What it leads others to it has done already.
        Layers* const others = std::exchange(frame.others, nullptr);
        enter(frame, *target, {});
        enter_same_entry(frame, saved);
        frame.others = others;
        frame.layer.draws = saved.draws; // entering has drawn anew
        take_kept(*own, saved);
        for (std::size_t level = 0; level < frame.layer.depth; ++level) {
            ActiveNode& now = frame.layer.path[level];
            for (const SavedLayer::Node& node : saved.path) {
                if (node.name != visible_name(data_, now.node)) { continue; }
                now.elapsed = node.elapsed;
                now.draw = node.draw;
            }
        }
        playheads(frame, saved);
    }

    /// Inside a pick or choose: the entry that plays what was played.
    void enter_same_entry(Frame& frame, const SavedLayer& saved) {
        const std::uint16_t active = frame.layer.path[frame.layer.depth - 1U].node;
        if (is_visible(data_, active) || clip_names(data_, data_.states[active]) == saved.motion) { return; }
        for (std::size_t n = 0; n < data_.states.size(); ++n) {
            if (data_.states[n].parent == data_.states[active].parent && data_.states[n].kind == NodeKind::motion &&
                clip_names(data_, data_.states[n]) == saved.motion) {
                return enter(frame, std::uint16_t(n), {});
            }
        }
    }

    void take_kept(std::size_t layer, const SavedLayer& saved) {
        for (const SavedLayer::Kept& kept : saved.kept) {
            const auto node = node_named(data_, layer, kept.name);
            if (!node) { continue; }
            const CompiledState& state = data_.states[*node];
            const auto left_in = node_named(data_, layer, kept.left_in);
            if (state.resume != no_index && left_in && data_.states[*left_in].parent == *node) {
                block_.resumes()[state.resume] = *left_in;
            }
            if (state.kind == NodeKind::pick && data_.picks[state.selector].entries.size() == kept.entries) {
                block_.deals()[state.selector] = kept.deal;
            }
        }
    }

    void playheads(Frame& frame, const SavedLayer& saved) {
        Instance& active = frame.active();
        const auto leaves = leaves_of(data_, active);
        if (clip_names(data_, frame.state_of(active)) == saved.motion &&
            frame.motion_of(active).term_count == saved.terms.size()) {
            for (std::size_t t = 0; t < saved.terms.size(); ++t) {
                frame.block.term_states(active)[t] = saved.terms[t];
                frame.block.terms(active)[t] = float(saved.terms[t].value);
            }
            weigh_again(frame); // by these
        }
        bool phase_placed = false;
        for (Playhead& playhead : frame.block.playing(active)) {
            const Leaf& leaf = leaves[playhead.leaf];
            for (const SavedLayer::Clip& clip : saved.clips) {
                const bool within = clip.position >= 0 && clip.position <= 1;
                if (clip.name != data_.clip_info[leaf.clip].name || !within) { continue; }
                if (!leaf.synced) {
                    playhead.position = clip.position;
                    playhead.loops = clip.loops;
                } else if (!phase_placed) {
                    SharedPhase(frame).put(leaf, clip.position);
                    phase_placed = true;
                }
                break;
            }
        }
        active.elapsed = saved.elapsed;
        active.begun = 1;
        active.finished = saved.finished ? 1 : 0;
    }

    Performer& performer_;
    const CharacterData& data_;
    PerformerBlock block_;
    Loader in_;
    LoadedState loaded_;
};

} // namespace
} // namespace detail

std::vector<std::byte> save_state(const Performer& performer) {
    return performer.bytes().empty() ? std::vector<std::byte>() : detail::StateSaver(performer).run();
}

LoadedState load_state(Performer& performer, std::span<const std::byte> saved) {
    if (performer.bytes().empty()) { return {false, "the performer was moved from", {}}; }
    const Performer before = performer;
    LoadedState result = detail::StateLoader(performer, saved).run();
    if (!result.loaded) { performer = before; }
    return result;
}

} // namespace gait
