#include "perform/evaluate.hpp"

#include "math/room.hpp"
#include "perform/channel_profiles.hpp"
#include "perform/inertial_offset.hpp"
#include "perform/playheads.hpp"

#include <algorithm>
#include <span>

namespace gait {
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

/// Writes what the clips of a layer count into the layer that a program has begun.
class LayerWriter {
public:
    /// `shift` seconds from now, when the shared phase is at `phase`. `moved`: null where nobody asks for what is
    /// moved.
    LayerWriter(const CharacterData& data, const PerformerBlock& block, double shift, ClipPlace phase,
                WindowProgram& program, MovedValues* moved)
        : data_(data), block_(block), part_(program.part()), program_(program), phase_(phase), shift_(shift) {
        if (moved == nullptr) { return; }
        moved_ = moved->at.data();
        first_moved_ = data.first_moved(part_.first);
        moved_count_ = data.first_moved(part_.end()) - first_moved_;
        for (std::size_t m = 0; m < moved_count_; ++m) { moved_[m] = {}; }
    }

    /// `masks`: null where all its clips count alike on all joints.
    void write(const Instance& instance, float share, const Masks* masks) {
        const Motion& motion = data_.motions.motions[data_.states[instance.state].motion];
        const Leaf* leaves = data_.motions.leaves.data() + motion.first_leaf;
        const bool in_step = instance.timing == Timing::shared;
        const auto playing = block_.playing(instance);
        const bool alike = masks == nullptr && motion.channel_count == 0 && shift_ == 0 && !motion.steps;
        if (!alike || block_.has_signs(instance) ||
            !program_.has_room(playing.size(), motion.adds ? playing.size() : 0)) {
            return write_unlike(instance, share, masks == nullptr ? Masks{} : *masks);
        }
        program_.keep_numbers();
        for (const Playhead& playhead : playing) {
            const Leaf& leaf = leaves[playhead.leaf];
            const ClipPlace place =
                leaf.synced && in_step ? phase_in(leaf) : ClipPlace{playhead.position, playhead.loops};
            write_alike(leaf, place, share * playhead.weight);
        }
    }

    /// The rest pose, so much of it, where no clip covers it.
    void write_rest(Folded cover, const float* mask) {
        program_.make_room();
        float* w = program_.more_quaternions() + 3 * window_lanes;
        for (std::size_t lane = 0; lane < part_.lanes; ++lane) {
            w[lane] += cover.whole_body + cover.masked * (mask != nullptr ? mask[lane] : 1.0F);
        }
    }

    /// Brings what is moved to a whole; `inverse` [lanes] is one over what the weights make up, null where that is 1.
    void finish_moves(const float* inverse) {
        const MovedJoint* of = data_.moved.data() + first_moved_;
        for (std::size_t m = 0; m < moved_count_; ++m) {
            const float scale = inverse == nullptr ? 1 : inverse[of[m].joint - part_.first];
            for (std::size_t axis = 0; axis < 3; ++axis) {
                float& value = moved_[m][axis];
                value = of[m].rest[axis] + value * scale;
            }
        }
    }

private:
    /// Where the shared phase has a clip.
    [[nodiscard]] ClipPlace phase_in(const Leaf& leaf) const {
        return leaf.warp == no_index ? phase_ : warped(data_.motions.warp_of(leaf), phase_);
    }

    /// A clip that counts `weight` on all joints, as it is.
    void write_alike(const Leaf& leaf, ClipPlace place, float weight) {
        if (!(weight > 0)) { return; }
        const Sample sample = sample_at(leaf.frames, place.position, weight);
        if (leaf.frames.moves != 0 && moved_count_ > 0) {
            if (leaf.moving != nullptr) {
                const float* from = leaf.moving + 4 * std::size_t(sample.frame);
                add_move(leaf.moving_at, from, leaf.frames.next > 0 ? from + 4 : from, sample.first_weight,
                         sample.second_weight);
            } else {
                add_moves(leaf, sample, nullptr);
            }
        }
        if (leaf.additive != no_index) { return program_.add_turn(sample, nullptr); }
        const float* odd = (place.loops & 1U) != 0 ? leaf.frames.odd_signs : nullptr;
        program_.add(sample, odd == nullptr ? nullptr : odd + part_.first);
    }

    /// Clips that count otherwise from joint to joint, are turned round on some, or have steps.
    [[gnu::noinline]] void write_unlike(const Instance& instance, float share, Masks masks) {
        const Motion& motion = data_.motions.motions[data_.states[instance.state].motion];
        const auto leaves = data_.motions.leaves_of(motion);
        signs_ = block_.has_signs(instance) ? block_.signs(instance) : nullptr;
        const ChannelProfiles* profiles = nullptr;
        if (motion.channel_count > 0) { profiles = &channels_.make(0, data_, block_, instance, part_); }
        for (const Playhead& playhead : block_.playing(instance)) {
            const Leaf& leaf = leaves[playhead.leaf];
            const float weight = share * playhead.weight;
            if (!(weight > 0)) { continue; }
            ClipPlace place{playhead.position, playhead.loops};
            if (follows_phase(instance, leaf)) {
                place = phase_in(leaf);
            } else if (shift_ != 0) {
                place = moved_on(leaf, place, shift_ * own_speed(instance, leaf, playhead));
            }
            const Sample sample = sample_at(leaf.frames, place.position, weight);
            program_.make_room();
            // Its own part of the body, and what it counts from lane to lane; null: everywhere the same.
            const float* own = profiles != nullptr ? profiles->of(leaf.channel) : nullptr;
            const float* profile = under(masks.mask, own);
            // Translations are brought to a whole when all are summed, those of what is added with them.
            if (leaf.frames.moves != 0 && moved_count_ > 0) { add_moves(leaf, sample, profile); }
            if (leaf.frames.steps) { add_steps(*leaf.sampled, place.position, weight, profile); }
            if (leaf.additive != no_index) {
                program_.add_turn(sample,
                                  masks.mask == masks.mask_of_added ? profile : under(masks.mask_of_added, own));
                continue;
            }
            program_.add(sample, signed_profile((place.loops & 1U) != 0 ? leaf.frames.odd_signs : nullptr, profile));
        }
    }

    /// What a clip counts under a mask, a lane each, its own part of the body being `own`; null: everywhere the same.
    const float* under(const float* mask, const float* own) {
        if (own == nullptr) { return mask; }
        float* both = program_.lane_numbers();
        for (std::size_t lane = 0; lane < part_.lanes; ++lane) {
            both[lane] = mask == nullptr ? own[lane] : mask[lane] * own[lane];
        }
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

    void add_moves(const Leaf& leaf, const Sample& sample, const float* profile) {
        const std::uint8_t moves = leaf.frames.moves;
        const SampledClip& clip = *leaf.sampled;
        if ((moves & ClipFrames::has_moving_translations) != 0) {
            add_moves(clip.moving_translations, sample, profile);
        }
        if ((moves & ClipFrames::has_still_translations) != 0) { add_moves(clip.still_translations, sample, profile); }
        if ((moves & ClipFrames::has_scales) == 0) [[likely]] { return; }
        add_moves(clip.moving_scales, sample, profile);
        add_moves(clip.still_scales, sample, profile);
    }
    void add_moves(const SparseRows& rows, const Sample& sample, const float* profile) {
        const std::size_t count = rows.joints.size();
        const std::size_t width = rows.constant() ? 0 : 4 * count;
        const float* from = rows.values.data() + sample.frame * width;
        const float* to = sample.clip->next > 0 ? from + width : from;
        for (std::size_t i = 0; i < count; ++i, from += 4, to += 4) {
            const std::size_t lane = rows.joints[i] - part_.first; // wraps round to a large one before the part
            if (lane >= part_.lanes) { continue; }
            const float factor = profile == nullptr ? 1 : profile[lane];
            add_move(rows.moved[i], from, to, factor * sample.first_weight, factor * sample.second_weight);
        }
    }
    /// What one of the character's `moved` is off rest in two frames.
    void add_move(std::uint16_t moved, const float* from, const float* to, float first, float second) {
        const std::size_t m = moved - first_moved_; // wraps round to a large one before the part
        if (m >= moved_count_) { return; }
        // All read before any is written: four at once.
        std::array<float, 4> sum = moved_[m];
        for (std::size_t axis = 0; axis < 4; ++axis) { sum[axis] += first * from[axis] + second * to[axis]; }
        moved_[m] = sum;
    }

    void add_steps(const SampledClip& clip, double position, float all, const float* profile) {
        const auto seconds = float(position * clip.seconds);
        for (const StepTrack& steps : clip.steps) {
            const std::size_t lane = steps.joint - part_.first; // wraps round to a large one before the part
            if (lane >= part_.lanes) { continue; }
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
            if (moved_count_ == 0) { continue; }
            auto& at = moved_[steps.moved - first_moved_];
            for (std::size_t axis = 0; axis < 3; ++axis) { at[axis] += weight * values[axis]; }
        }
    }

    Room<ChannelProfiles, 1> channels_;
    const CharacterData& data_;
    const PerformerBlock& block_;
    const Window& part_;
    WindowProgram& program_;
    std::array<float, 4>* moved_ = nullptr; ///< those of the character's that are on these lanes
    std::size_t first_moved_ = 0, moved_count_ = 0;
    ClipPlace phase_;
    double shift_;
    const std::uint32_t* signs_ = nullptr; ///< of the instance, a bit for each of the character's joints; null: no bit
};

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

void LayerPose::write(WindowProgram& program, MovedValues* moved) const {
    const LayerHeader& layer = block_.layer();
    LayerWriter writer(data_, block_, shift_, phase_, program, moved);
    if (shares_.plain) [[likely]] {
        for (std::size_t i = first_instance_; i < last_instance_; ++i) {
            if (shares_.share[i] > 0) { writer.write(layer.instances[i], shares_.share[i], nullptr); }
        }
        return writer.finish_moves(nullptr);
    }
    Folded rest = counted(shares_.folded);
    rest = {rest.masked * shares_.scale, rest.whole_body * shares_.scale};
    const UnlikeCover cover = cover_of(program, rest);
    const Masks inside{cover.mask, cover.mask_over}, everywhere{nullptr, cover.inverse};
    for (std::size_t i = first_instance_; i < last_instance_; ++i) {
        if (!(shares_.share[i] > 0)) { continue; }
        const Masks& masks = data_.states[layer.instances[i].state].whole_body ? everywhere : inside;
        writer.write(layer.instances[i], shares_.share[i], cover.mask == nullptr ? nullptr : &masks);
    }
    if (rest.masked + rest.whole_body > 0) { writer.write_rest(rest, cover.mask); }
    writer.finish_moves(cover.inverse);
}

UnlikeCover LayerPose::cover_of(WindowProgram& program, Folded rest) const {
    const LayerHeader& layer = block_.layer();
    const CompiledLayer& own = data_.layers[block_.layer_index()];
    // Only beside a motion that counts beyond the mask it matters where the others do. In model space a joint outside
    // the mask carries those inside it, so that all motions count there.
    const bool unlike = shares_.whole_body + shares_.folded.whole_body > 0 && own.space == LayerSpace::local;
    if (!unlike || own.mask == nothing) { return {}; }
    Folded sum = rest;
    for (std::size_t i = first_instance_; i < last_instance_; ++i) {
        (data_.states[layer.instances[i].state].whole_body ? sum.whole_body : sum.masked) += shares_.share[i];
    }
    const float* mask = data_.masks[own.mask].data() + program.part().first;
    const UnlikeCover cover{mask, program.lane_numbers(), program.lane_numbers()};
    for (std::size_t lane = 0; lane < program.part().lanes; ++lane) {
        const float counts = sum.masked * mask[lane] + sum.whole_body;
        cover.inverse[lane] = counts > 1e-6F ? 1 / counts : 0;
        cover.mask_over[lane] = mask[lane] * cover.inverse[lane];
    }
    return cover;
}

void LayerPose::evaluate(Window window, PoseRows out) const {
    WindowProgram program(window, out);
    MovedValues moved;
    program.begin(window);
    write(program, &moved);
    program.run();
    show_moved(data_, window, moved, out);
    if (has_offset()) {
        const double elapsed = block_.layer().offset_elapsed + shift_;
        apply_offset(data_, block_, std::max(0.0, elapsed), window, out);
    }
}

void choose_signs(const CharacterData& data, const PerformerBlock& block) {
    const LayerHeader& layer = block.layer();
    const std::size_t newest = layer.instance_count - 1U;
    std::uint32_t* signs = block.signs(layer.instances[newest]);
    std::fill_n(signs, data.layout.sign_words, 0U);
    block.mark_signs(layer.instances[newest], false);
    if (newest == 0) { return; }
    const LayerPose pose_below(data, block, {0, newest, 0, false}),
        pose_own(data, block, {newest, newest + 1, 0, false});
    each_window(block.reach(), [&](Window window) {
        WindowPose below, own;
        pose_below.evaluate(window, {below.rows.data(), window_lanes});
        pose_own.evaluate(window, {own.rows.data(), window_lanes});
        for (std::size_t lane = 0; lane < window.lanes && window.first + lane < data.rig.joints.size(); ++lane) {
            if (dot(quat_at(below, lane), quat_at(own, lane)) < 0) {
                const std::size_t joint = window.first + lane;
                signs[joint / 32] |= 1U << (joint % 32);
                block.mark_signs(layer.instances[newest], true);
            }
        }
    });
}

} // namespace gait
