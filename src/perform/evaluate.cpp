#include "perform/evaluate.hpp"

#include "math/compiler.hpp"
#include "math/inplace_array.hpp"
#include "perform/channel_profiles.hpp"
#include "perform/inertial_offset.hpp"
#include "perform/playheads.hpp"

#include <algorithm>
#include <span>

namespace gait::detail {
namespace {

/// A clip at a place, 0 to 1.
Sample sample_at(const ClipFrames& clip, double position, float weight) {
    const double at = position * clip.intervals;
    const std::uint32_t frame = std::min(std::uint32_t(std::int32_t(at)), clip.last);
    const float second = weight * float(at - double(std::int32_t(frame)));
    return {&clip, frame, weight - second, second};
}

/// Where a clip is `way` cycles on; `way` is small.
ClipPlace moved_on(const Leaf& leaf, ClipPlace place, double way) {
    place.position += way;
    if (place.position >= 0 && place.position <= 1) { return place; }
    if (!leaf.loops) { return {std::clamp(place.position, 0.0, 1.0), place.loops}; }
    const bool before = place.position < 0;
    return {before ? place.position + 1 : std::min(place.position - 1, 1.0),
            before ? place.loops - 1 : place.loops + 1};
}

/// What a layer's instances count under, on the lanes of a part.
struct Masks {
    const float* mask = nullptr;          ///< what their weights are multiplied by; null: nothing
    const float* mask_of_added = nullptr; ///< the same for what is added
};

/// What is moved on the lanes of a part, as it is summed.
class MovedSums {
public:
    /// `values`: null where translations are not needed.
    MovedSums(const CharacterData& data, Window part, MovedValues* values) : part_(part) {
        if (values == nullptr) { return; }
        const std::size_t first = data.first_moved(part.first);
        of_part_ = {first, data.first_moved(part.end()) - first};
        of_ = data.moved.data() + first;
        at_ = values->at.data();
        for (std::size_t m = 0; m < of_part_.lanes; ++m) { at_[m] = {}; }
    }

    [[nodiscard]] bool any() const { return of_part_.lanes > 0; }
    /// What one of the character's `moved` is off rest in two frames.
    void add(std::uint16_t moved, const float* from, const float* to, float first, float second) {
        const std::size_t m = moved - of_part_.first; // wraps round to a large one before the part
        if (m < of_part_.lanes) { add_four(at_[m].data(), from, first, to, second); }
    }
    /// Adds all that a clip moves; `profile` [lanes] is its weight on each lane, null where that is 1.
    void add(const Leaf& leaf, const Sample& sample, const float* profile) {
        const std::uint8_t moves = leaf.frames.moves;
        const SampledClip& clip = *leaf.sampled;
        if ((moves & ClipFrames::has_moving_translations) != 0) { add(clip.moving_translations, sample, profile); }
        if ((moves & ClipFrames::has_still_translations) != 0) { add(clip.still_translations, sample, profile); }
        if ((moves & ClipFrames::has_scales) == 0) [[likely]] { return; }
        add(clip.moving_scales, sample, profile);
        add(clip.still_scales, sample, profile);
    }
    /// A step as it stands.
    void add(const StepTrack& steps, const std::array<float, 4>& values, float weight) {
        auto& at = at_[steps.moved - of_part_.first];
        for (std::size_t axis = 0; axis < 3; ++axis) { at[axis] += weight * values[axis]; }
    }
    /// Brings them to a whole; `inverse` [lanes] is one over what the weights make up, null where that is 1.
    void finish(const float* inverse) {
        for (std::size_t m = 0; m < of_part_.lanes; ++m) {
            const float scale = inverse == nullptr ? 1 : inverse[of_[m].joint - part_.first];
            for (std::size_t axis = 0; axis < 3; ++axis) {
                float& value = at_[m][axis];
                value = of_[m].rest[axis] + value * scale;
            }
        }
    }

private:
    void add(const SparseRows& rows, const Sample& sample, const float* profile) {
        const std::size_t count = rows.joints.size();
        const std::size_t width = rows.constant() ? 0 : 4 * count;
        const float* from = rows.values.data() + sample.frame * width;
        const float* to = sample.clip->next > 0 ? from + width : from;
        for (std::size_t i = 0; i < count; ++i, from += 4, to += 4) {
            const auto lane = part_.place_of(rows.joints[i]);
            if (!lane) { continue; }
            const float factor = profile == nullptr ? 1 : profile[*lane];
            add(rows.moved[i], from, to, factor * sample.first_weight, factor * sample.second_weight);
        }
    }

    Window part_;
    std::array<float, 4>* at_ = nullptr; ///< those of the character's that are on these lanes
    const MovedJoint* of_ = nullptr;
    Window of_part_; ///< which of the character's those are
};

/// Where the shared phase has a clip.
ClipPlace place_in(const CharacterData& data, const Leaf& leaf, ClipPlace phase) {
    if (leaf.warp == no_index) [[likely]] { return phase; }
    return warped(data.motions.warp_of(leaf), phase);
}

/// Writes clips that count alike on all joints, as they are, into the layer that a program has begun.
GAIT_INLINE void write_alike(const CharacterData& data, const PerformerBlock& block, const Instance& instance,
                             float share, WindowProgram& program, MovedSums& moved) {
    const Leaf* leaves = data.leaves_of(data.states[instance.state]);
    const bool in_step = instance.timing == Timing::shared, any_moved = moved.any();
    const ClipPlace phase = phase_of(block.layer());
    for (const Playhead& playhead : block.playing(instance)) {
        const Leaf& leaf = leaves[playhead.leaf];
        const float weight = share * playhead.weight;
        if (!(weight > 0) || leaf.adds_nothing) { continue; }
        ClipPlace place{playhead.position, playhead.loops};
        if (leaf.synced && in_step) [[likely]] { place = place_in(data, leaf, phase); }
        const Sample sample = sample_at(leaf.frames, place.position, weight);
        if (leaf.moving != nullptr && any_moved) [[likely]] {
            const float* from = leaf.moving + 4 * std::size_t(sample.frame);
            moved.add(leaf.moving_at, from, leaf.frames.next > 0 ? from + 4 : from, sample.first_weight,
                      sample.second_weight);
        } else if (leaf.frames.moves != 0 && any_moved) {
            moved.add(leaf, sample, nullptr);
        }
        if (leaf.additive != no_index) [[unlikely]] {
            program.add_turn(sample, nullptr);
        } else {
            const float* odd = (place.loops & 1U) != 0 ? leaf.frames.odd_signs : nullptr;
            program.add(sample, odd == nullptr ? nullptr : odd + program.part().first);
        }
    }
}

/// How clips count otherwise.
struct Unlike {
    float share;     ///< of the instance
    double shift;    ///< seconds from now
    ClipPlace phase; ///< the shared one, then
    Masks masks;
    const float* weights = nullptr; ///< of its clips, then; null: those that they were given
};

/// Writes clips whose weight differs from joint to joint, whose quaternions change their sign on some, which have
/// steps, or which are asked for at another time than now.
class UnlikeWriter {
public:
    UnlikeWriter(const CharacterData& data, const PerformerBlock& block, const Unlike& how, WindowProgram& program,
                 MovedSums& moved)
        : data_(data), block_(block), how_(how), part_(program.part()), program_(program), moved_(moved) {}

    void write(const Instance& instance) {
        const Masks& masks = how_.masks;
        const Motion& motion = data_.motions.motions[data_.states[instance.state].motion];
        const auto leaves = data_.motions.leaves_of(motion);
        signs_ = block_.has_signs(instance) ? block_.signs(instance) : nullptr;
        ChannelProfiles* profiles = nullptr;
        if (motion.channel_count > 0) { profiles = &channels_.make(0, data_, block_, instance, part_); }
        const std::span<const Playhead> playing = block_.playing(instance);
        for (std::size_t p = 0; p < playing.size(); ++p) {
            const Playhead& playhead = playing[p];
            const Leaf& leaf = leaves[playhead.leaf];
            const float weight = how_.share * (how_.weights == nullptr ? playhead.weight : how_.weights[p]);
            if (!(weight > 0) || leaf.adds_nothing) { continue; }
            ClipPlace place{playhead.position, playhead.loops};
            if (follows_phase(instance, leaf)) {
                place = place_in(data_, leaf, how_.phase);
            } else if (how_.shift != 0) {
                place = moved_on(leaf, place, how_.shift * own_speed(instance, leaf, playhead));
            }
            const Sample sample = sample_at(leaf.frames, place.position, weight);
            program_.make_room();
            // Its own part of the body, and what it counts from lane to lane; null: everywhere the same.
            const float* own = profiles != nullptr ? profiles->of(leaf.channel) : nullptr;
            // The program runs when the profiles are gone.
            if (own != nullptr && profiles->is_own(own)) { own = kept(own); }
            const float* profile = under(masks.mask, own);
            // Translations are brought to a whole when all are summed, those of what is added with them.
            if (leaf.frames.moves != 0 && moved_.any()) { moved_.add(leaf, sample, profile); }
            if (leaf.frames.steps) { add_steps(*leaf.sampled, place.position, weight, profile); }
            if (leaf.additive != no_index) {
                program_.add_turn(sample,
                                  masks.mask == masks.mask_of_added ? profile : under(masks.mask_of_added, own));
                continue;
            }
            program_.add(sample, signed_profile((place.loops & 1U) != 0 ? leaf.frames.odd_signs : nullptr, profile));
        }
    }

private:
    /// The same numbers for as long as the program lasts.
    const float* kept(const float* numbers) {
        float* copy = program_.lane_numbers();
        std::copy_n(numbers, part_.lanes, copy);
        return copy;
    }

    /// What a clip counts under a mask, a lane each, its own part of the body being `own`; null: everywhere the same.
    const float* under(const float* mask, const float* own) {
        if (own == nullptr || mask == nullptr) { return own == nullptr ? mask : own; }
        float* both = program_.lane_numbers();
        for (std::size_t lane = 0; lane < part_.lanes; ++lane) { both[lane] = mask[lane] * own[lane]; }
        return both;
    }

    /// The same, times the signs of the instance and, not null, of a loop that turns some joints round.
    const float* signed_profile(const float* odd, const float* profile) {
        if (odd != nullptr) { odd += part_.first; }
        if (signs_ == nullptr && (odd == nullptr || profile == nullptr)) { return odd == nullptr ? profile : odd; }
        float* factors = program_.lane_numbers();
        if (signs_ != nullptr) {
            kernels::spread_signs(signs_, part_.first, factors, part_.lanes);
        } else {
            std::fill_n(factors, part_.lanes, 1.0F);
        }
        for (const float* more : {odd, profile}) {
            for (std::size_t lane = 0; more != nullptr && lane < part_.lanes; ++lane) { factors[lane] *= more[lane]; }
        }
        return factors;
    }

    void add_steps(const SampledClip& clip, double position, float all, const float* profile) {
        const auto seconds = float(position * clip.seconds);
        for (const StepTrack& steps : clip.steps) {
            const auto place = part_.place_of(steps.joint);
            if (!place) { continue; }
            const std::size_t lane = *place;
            const auto after = std::upper_bound(steps.times.begin(), steps.times.end(), seconds);
            const auto key = after == steps.times.begin() ? 0 : std::size_t(after - steps.times.begin()) - 1;
            const float weight = profile == nullptr ? all : all * profile[lane];
            const std::array<float, 4>& values = steps.values[key];
            if (steps.target == StepTrack::Target::rotation) {
                const bool turned = signs_ != nullptr && ((signs_[steps.joint / 32] >> (steps.joint % 32)) & 1U) != 0;
                float* rotation = program_.more_quaternions() + lane;
                for (std::size_t c = 0; c < 4; ++c) {
                    rotation[c * window_lanes] += (turned ? -weight : weight) * values[c];
                }
                continue;
            }
            if (moved_.any()) { moved_.add(steps, values, weight); }
        }
    }

    InplaceArray<ChannelProfiles, 1> channels_;
    const CharacterData& data_;
    const PerformerBlock& block_;
    const Unlike& how_;
    const Window& part_;
    WindowProgram& program_;
    MovedSums& moved_;
    const std::uint32_t* signs_ = nullptr; ///< of the instance, a bit for each of the character's joints; null: no bit
};

/// Apart from what most frames do, so that its scratch is not in between.
GAIT_NOINLINE void write_unlike(const CharacterData& data, const PerformerBlock& block, const Instance& instance,
                                const Unlike& how, WindowProgram& program, MovedSums& moved) {
    UnlikeWriter(data, block, how, program, moved).write(instance);
}

/// Whether nothing counts of what an instance would mix in on a part of the body.
GAIT_NOINLINE bool is_unmasked(const CharacterData& data, const PerformerBlock& block, const Instance& instance) {
    const Motion& motion = data.motions.motions[data.states[instance.state].motion];
    const std::span<const Channel> channels = data.motions.channels_of(motion);
    const float* terms = block.terms(instance);
    const Leaf* leaves = data.leaves_of(data.states[instance.state]);
    for (const Playhead& playhead : block.playing(instance)) {
        const Leaf& leaf = leaves[playhead.leaf];
        for (std::uint8_t c = leaf.adds_nothing ? 0 : leaf.channel; c != 0; c = channels[c - 1U].parent) {
            const Channel& channel = channels[c - 1U];
            if (!is_whole(channel, {data.motions.entries.data() + channel.first_entry, channel.entry_count}, terms)) {
                return false;
            }
        }
    }
    return true;
}

/// Whether `write_alike` will do for what an instance shows now.
bool are_alike(const CharacterData& data, const PerformerBlock& block, const Instance& instance) {
    const StateFacts& facts = data.states[instance.state].facts;
    if (block.has_signs(instance)) { return false; }
    return facts.plain || (facts.masked && is_unmasked(data, block, instance));
}

/// Adds the rest pose with the weight that no clip covers.
void write_rest(Coverage cover, const float* mask, WindowProgram& program) {
    program.make_room();
    float* w = program.more_quaternions() + 3 * window_lanes;
    for (std::size_t lane = 0; lane < program.part().lanes; ++lane) {
        w[lane] += cover.on(mask != nullptr ? mask[lane] : 1.0F);
    }
}

} // namespace

void show_moved(const CharacterData& data, Window window, const MovedValues& values, PoseRows out) {
    const auto moved = data.moved_in(window);
    for (std::size_t m = 0; m < moved.size(); ++m) {
        float* to = out.first + moved[m].row * out.stride + moved[m].joint - window.first;
        for (std::size_t axis = 0; axis < 3; ++axis) { to[axis * out.stride] = values.at[m][axis]; }
    }
}

void fill_rest(const CharacterData& data, Window window, PoseRows out) {
    for (std::size_t row = 4; row < data.layout.pose_rows; ++row) {
        std::copy_n(data.rest.data() + (row - 4) * data.layout.lanes + window.first, window.lanes,
                    out.first + row * out.stride);
    }
}

void write_only(const CharacterData& data, const PerformerBlock& block, const Instance& only, WindowProgram& program,
                MovedValues* moved) {
    MovedSums sums(data, program.part(), moved);
    if (are_alike(data, block, only)) {
        write_alike(data, block, only, 1, program, sums);
    } else {
        write_unlike(data, block, only, {1, 0, phase_of(block.layer()), {}}, program, sums);
    }
    sums.finish(nullptr);
}

void LayerPose::write(WindowProgram& program, MovedValues* moved) const {
    const LayerHeader& layer = block_.layer();
    MovedSums sums(data_, program.part(), moved);
    Coverage rest;
    UnlikeCover cover{};
    if (!shares_.plain) [[unlikely]] {
        rest = shares_.folded.positive() * shares_.scale;
        cover = cover_of(program, rest);
    }
    for (std::size_t i = first_instance_; i < last_instance_; ++i) {
        const Instance& instance = layer.instances[i];
        const float share = shares_.share[i];
        if (!(share > 0)) { continue; }
        const float* weights = i + 1U == last_instance_ ? highest_weights_ : nullptr;
        if (cover.mask == nullptr && shift_ == 0 && weights == nullptr && are_alike(data_, block_, instance)) {
            write_alike(data_, block_, instance, share, program, sums);
            continue;
        }
        Unlike how{share, shift_, phase_, {}, weights};
        if (cover.mask != nullptr) {
            const bool beyond = data_.states[instance.state].whole_body;
            how.masks = beyond ? Masks{nullptr, cover.inverse} : Masks{cover.mask, cover.mask_over};
        }
        write_unlike(data_, block_, instance, how, program, sums);
    }
    if (rest.total() > 0) { write_rest(rest, cover.mask, program); }
    sums.finish(cover.inverse);
}

UnlikeCover LayerPose::cover_of(WindowProgram& program, Coverage rest) const {
    const LayerHeader& layer = block_.layer();
    const CompiledLayer& own = data_.layers[block_.layer_index()];
    // Only beside a motion that counts beyond the mask it matters where the others do. In model space a joint outside
    // the mask carries those inside it, so that all motions count there.
    const bool unlike = shares_.covered.whole_body + shares_.folded.whole_body > 0 && own.space == LayerSpace::local;
    if (!unlike || own.mask == no_index) { return {}; }
    Coverage sum = rest;
    for (std::size_t i = first_instance_; i < last_instance_; ++i) {
        sum.add(data_.states[layer.instances[i].state].whole_body, shares_.share[i]);
    }
    const float* mask = data_.masks[own.mask].data() + program.part().first;
    const UnlikeCover cover{mask, program.lane_numbers(), program.lane_numbers()};
    for (std::size_t lane = 0; lane < program.part().lanes; ++lane) {
        const float counts = sum.on(mask[lane]);
        cover.inverse[lane] = counts > 1e-6F ? 1 / counts : 0;
        cover.mask_over[lane] = mask[lane] * cover.inverse[lane];
    }
    return cover;
}

void LayerPose::evaluate(Window window, PoseRows out, bool to_unit) const {
    WindowProgram program(window, out);
    MovedValues moved;
    program.begin(window);
    write(program, &moved);
    if (to_unit) {
        program.run();
    } else {
        kernels::sum_up(program.only_layer(), {out.first, out.stride});
    }
    show_moved(data_, window, moved, out);
    if (has_offset()) {
        const double elapsed = block_.layer().offset_elapsed + shift_;
        apply_offset(data_, block_, elapsed, window, out);
    }
}

bool keep_side(const CharacterData& data, const PerformerBlock& block) {
    const LayerHeader& layer = block.layer();
    if (layer.has_signs != 0) { return false; }
    for (std::size_t i = 0; i < layer.instance_count; ++i) {
        const CompiledState& state = data.states[layer.instances[i].state];
        if (state.facts.keeps_side) { continue; }
        const Leaf* leaves = data.leaves_of(state);
        for (const Playhead& playhead : block.playing(layer.instances[i])) {
            const Leaf& leaf = leaves[playhead.leaf];
            if (!leaf.adds_nothing && !leaf.frames.keeps_side) { return false; } // no turn that is added does
        }
    }
    return true;
}

void choose_signs(const CharacterData& data, const PerformerBlock& block) {
    const LayerHeader& layer = block.layer();
    const std::size_t newest = layer.instance_count - 1U;
    if (newest == 0 || keep_side(data, block)) { return; }
    std::uint32_t* const signs = block.clear_signs(layer.instances[newest]);
    const LayerPose pose_below(data, block, {0, newest, 0, false}),
        pose_own(data, block, {newest, newest + 1, 0, false});
    bool any = false;
    each_window(block.reach(), [&](Window window) {
        WindowProgram below(window), own(window);
        below.begin(window);
        own.begin(window);
        pose_below.write(below, nullptr);
        pose_own.write(own, nullptr);
        any = kernels::find_opposed(below.only_layer(), own.only_layer(), {signs, window.first}) || any;
    });
    block.mark_signs(layer.instances[newest], any);
}

} // namespace gait::detail
