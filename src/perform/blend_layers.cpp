#include "perform/blend_layers.hpp"

#include "math/compiler.hpp"
#include "perform/lay_over.hpp"

#include <algorithm>
#include <span>

namespace gait::detail {
namespace {

/// Whether nothing shows from below a layer. What can be told without its shares is asked first.
bool hides(const CharacterData& data, const PerformerBlock& block) {
    const CompiledLayer& own = data.layers[block.layer_index()];
    if (!own.may_hide || block.layer().weight.value < 1 || plays_nothing(data, block.layer())) { return false; }
    const Cover cover = cover_of(own, LayerPose(data, block));
    return cover.covered.whole_body >= 1 || (own.mask == no_index && cover.covered.total() >= 1);
}

} // namespace

double layer_cover(const CharacterData& data, const PerformerBlock& block, double shift) {
    const LayerPose then(data, block, shifted(everything_now, shift));
    const Cover cover = cover_of(data.layers[block.layer_index()], then);
    const TermState& weight = block.layer().weight;
    return std::clamp(weight.value + shift * weight.velocity, 0.0, 1.0) * double(cover.covered.total());
}

void layer_cover(const CharacterData& data, const PerformerBlock& block, std::span<float> out) {
    const CompiledLayer& own = data.layers[block.layer_index()];
    const Cover cover = cover_of(own, LayerPose(data, block));
    each_window(data, [&](Window window) {
        const Weights weights(data, own, cover, window);
        for (std::size_t lane = 0; lane < window.lanes && window.first + lane < out.size(); ++lane) {
            out[window.first + lane] = weights[lane];
        }
    });
}

namespace {

/// The lowest layer that is looked at: what a whole layer hides is not.
std::size_t lowest_shown(const CharacterData& data, const PerformerBlock& block) {
    for (std::size_t l = data.layers.size(); l-- > 1;) {
        if (hides(data, block.of_layer(l))) { return l; }
    }
    return 0;
}

/// Notes whether a layer that is not the lowest of all shows now.
bool note_shown(const PerformerBlock& block, bool shows) {
    std::uint8_t& shown = block.layer().shown;
    // As it comes back it finds its hemisphere anew.
    if (!shows && shown != 0) { block.forget_hemispheres(); }
    shown = shows ? 1 : 0;
    return shows;
}

/// Whether a layer is blended in one pass with those below it, or does not show at all.
bool joins(const CompiledLayer& own, const LayerHeader& layer) {
    return layer.turns_sides == 0 && ((own.joins && layer.offset_active == 0) || !(layer.weight.value > 0));
}

/// Writes down what of a layer lies over those below it in a window, if it shows.
void write_over(const CharacterData& data, const CompiledLayer& own, const PerformerBlock& block, Window window,
                const Evaluation& what, WindowProgram& program, MovedValues& moved) {
    if (!(block.layer().weight.value > 0) || plays_nothing(data, block.layer())) {
        note_shown(block, false);
        return;
    }
    const Window part = common(window, block.reach());
    const auto lay = [&](const Cover& cover, auto write) {
        if (!note_shown(block, cover.shows()) || part.lanes == 0) { return; }
        program.begin(part);
        const float* weights = lane_weights(data, own, cover, part, program.lane_numbers());
        program.cover(weights, block.hemispheres(part.first), block.layer().far_sides);
        write(own.moves ? &moved : nullptr);
        if (own.moves) { mix_moved(data, weights, part, rows_at(data, block, part), moved); }
    };
    if (const Instance* only = what.shift == 0 ? only_motion(data, block.layer()) : nullptr) {
        lay(whole_cover(own, block.layer()),
            [&](MovedValues* values) { write_only(data, block, *only, program, values); });
    } else {
        const LayerPose pose(data, block, what);
        lay(cover_of(own, pose), [&](MovedValues* values) { pose.write(program, values); });
    }
}

/// Blends the layers from `first` on in one pass, as far as they join what is below them. The one after the last.
std::size_t blend_together(const CharacterData& data, const PerformerBlock& block, PoseWanted wanted,
                           std::size_t first) {
    std::size_t l = first;
    each_window({0, wanted.lanes}, [&](Window window) {
        const PoseRows out = rows_at(data, block, window);
        WindowProgram program(window, out);
        MovedValues moved;
        l = first;
        if (l == 0) {
            program.begin(window);
            const PerformerBlock lowest = block.of_layer(l++);
            if (const Instance* only = wanted.what->shift == 0 ? only_motion(data, lowest.layer()) : nullptr) {
                write_only(data, lowest, *only, program, &moved);
            } else {
                LayerPose(data, lowest, *wanted.what).write(program, &moved);
            }
            show_moved(data, window, moved, out);
        }
        for (auto own = data.layers.begin() + std::ptrdiff_t(l); own != data.layers.end(); ++own, ++l) {
            const PerformerBlock over = block.of_layer(l);
            if (!joins(*own, over.layer())) { break; }
            write_over(data, *own, over, window, *wanted.what, program, moved);
        }
        program.run();
    });
    // Those that have come to lie on the far side change it with the next pose, one by one.
    for (std::size_t over = std::max<std::size_t>(first, 1); over < l; ++over) {
        LayerHeader& layer = block.of_layer(over).layer();
        if (layer.far_sides != 0) { layer.turns_sides = layer.shown; }
        layer.far_sides = 0;
    }
    return l;
}

/// A layer by itself, over those below it if there are any. Apart from what most frames do, so that its scratch poses
/// are not in between.
GAIT_NOINLINE void blend_layer_alone(const CharacterData& data, const PerformerBlock& block, PoseWanted wanted) {
    const CompiledLayer& own = data.layers[block.layer_index()];
    const LayerPose pose(data, block, *wanted.what);
    const PosedLayer posed{data, block, common(block.reach(), {0, wanted.lanes})};
    if (block.layer_index() == 0) {
        return each_window(posed.lanes, [&](Window window) { pose.evaluate(window, rows_at(data, block, window)); });
    }
    const Cover cover = cover_of(own, pose);
    std::uint8_t& turns_sides = block.layer().turns_sides;
    if (!note_shown(block, cover.shows())) {
        if (turns_sides != 0) { decay_sides(posed); }
    } else {
        lay_over(posed, pose, cover);
    }
    if (turns_sides == 0) {
        // Those that have come to lie on the far side change it with the next pose.
        const kernels::Hemispheres sides = block.hemispheres(posed.lanes.first);
        turns_sides = block.layer().shown != 0 && kernels::has_far_sides(sides, posed.lanes.lanes) ? 1 : 0;
    } else {
        const auto turns = block.side_turns();
        const bool is_over = std::all_of(turns.begin(), turns.end(), [](const SideTurn& t) { return t.is_over(); });
        turns_sides = is_over ? 0 : 1;
    }
}

} // namespace

void evaluate_pose(const CharacterData& data, const PerformerBlock& block, PoseWanted wanted) {
    const std::size_t count = data.layers.size(), lowest = data.some_layer_hides ? lowest_shown(data, block) : 0;
    for (std::size_t l = lowest; l < count;) {
        const PerformerBlock next = block.of_layer(l);
        if (joins(data.layers[l], next.layer())) {
            l = blend_together(data, block, wanted, l);
        } else {
            blend_layer_alone(data, next, wanted);
            ++l;
        }
    }
    // What is hidden, and what hides it, may find the nearer side anew: nobody sees both.
    for (std::size_t l = 1; l <= lowest; ++l) { note_shown(block.of_layer(l), false); }
}

} // namespace gait::detail
