#include "perform/evaluate.hpp"

#include "math/pose_kernels.hpp"
#include "math/room.hpp"
#include "math/springs.hpp"
#include "perform/playheads.hpp"

#include <algorithm>
#include <cmath>
#include <optional>
#include <span>

namespace gait {
namespace {

/// The step over which a velocity is measured by difference, seconds.
constexpr double velocity_step = 1.0 / 2048;

/// A clip at an instant.
struct Sample {
    const SampledClip* clip = nullptr;
    double position = 0; ///< 0 to 1
    bool odd_loop = false;
    float weight = 0;
    std::uint32_t frame = 0;
    float fraction = 0;
    const float* profile = nullptr; ///< [the window's lanes] what the weight is multiplied by; null: nothing
    bool profile_stays = true;      ///< until the window is done
};

Sample sample_at(const SampledClip& clip, const Leaf& leaf, double position, std::uint32_t loops, float weight) {
    Sample sample{&clip, position, (loops & 1U) != 0, weight};
    if (position < 0) {
        if (leaf.loops) {
            sample.position = position + 1;
            sample.odd_loop = !sample.odd_loop;
        } else {
            sample.position = 0;
        }
    }
    if (position > 1 && leaf.loops) {
        sample.position = position - 1;
        sample.odd_loop = !sample.odd_loop;
    }
    sample.position = std::min(sample.position, 1.0);
    const double place = sample.position * clip.intervals;
    sample.frame = clip.intervals == 0 ? 0 : std::min(std::uint32_t(place), clip.intervals - 1);
    sample.fraction = float(place - sample.frame);
    return sample;
}

/// `rows` are three, `stride` apart, and begin at the window's first joint.
void add_sparse(const SparseRows& values, const Sample& sample, Window window, float* rows, std::size_t stride) {
    const std::size_t count = values.joints.size();
    const bool still = values.constant();
    const float* a = values.values.data() + (still ? 0 : std::size_t(sample.frame) * 3 * count);
    const float* b = still || sample.frame >= sample.clip->intervals ? a : a + 3 * count;
    for (std::size_t i = 0; i < count; ++i) {
        const std::size_t lane = values.joints[i] - window.first; // wraps round to a large one before the window
        if (lane >= window.lanes) { continue; }
        const float weight = sample.profile == nullptr ? sample.weight : sample.weight * sample.profile[lane];
        const float second = weight * sample.fraction, first = weight - second;
        rows[lane] += first * a[i] + second * b[i];
        rows[stride + lane] += first * a[count + i] + second * b[count + i];
        rows[2 * stride + lane] += first * a[2 * count + i] + second * b[2 * count + i];
    }
}

/// `signs`: a bit for each of the character's joints.
void add_steps(const Sample& sample, const std::uint32_t* signs, Window window, PoseRows out) {
    const auto seconds = float(sample.position * sample.clip->seconds);
    for (const StepTrack& steps : sample.clip->steps) {
        if (steps.joint < window.first || steps.joint >= window.first + window.lanes) { continue; }
        const auto after = std::upper_bound(steps.times.begin(), steps.times.end(), seconds);
        const auto key = after == steps.times.begin() ? 0 : std::size_t(after - steps.times.begin()) - 1;
        const bool turned =
            steps.target == StepTrack::Target::rotation && ((signs[steps.joint / 32] >> (steps.joint % 32)) & 1U) != 0;
        const float own =
            sample.profile == nullptr ? sample.weight : sample.weight * sample.profile[steps.joint - window.first];
        const float weight = turned ? -own : own;
        const std::size_t row = steps.target == StepTrack::Target::rotation      ? 0
                                : steps.target == StepTrack::Target::translation ? 4
                                                                                 : 7;
        const std::size_t components = row == 0 ? 4 : 3;
        for (std::size_t c = 0; c < components; ++c) {
            out.first[(row + c) * out.stride + steps.joint - window.first] += weight * steps.values[key][c];
        }
    }
}

/// How the weights of a motion's channels differ from joint to joint of a window.
class Profiles {
public:
    Profiles(const CharacterData& data, const PerformerBlock& block, const Instance& instance, Window window) {
        const MotionTable& table = data.motions;
        const auto channels = table.channels_of(table.motions[data.states[instance.state].motion]);
        const float* terms = block.terms(instance);
        for (std::size_t c = 0; c < channels.size(); ++c) {
            const Channel& channel = channels[c];
            const std::span entries(table.entries.data() + channel.first_entry, channel.entry_count);
            for (std::size_t lane = 0; lane < window.lanes; ++lane) {
                const float own = share_of(channel, entries, terms, [&](std::uint16_t index) {
                    return index == no_index ? 1.0F : data.masks[index][window.first + lane];
                });
                rows_[c][lane] = channel.parent == 0 ? own : own * rows_[channel.parent - 1U][lane];
            }
        }
    }

    /// Null for the whole body.
    [[nodiscard]] const float* of(std::uint8_t channel) const {
        return channel == 0 ? nullptr : rows_[channel - 1U].data();
    }

private:
    /// The part of a channel beside the others of its mix.
    template <typename Mask>
    static float share_of(const Channel& channel, std::span<const MixEntry> entries, const float* terms, Mask mask) {
        if (entries.empty()) { return mask(channel.mask); }
        float others = 0;
        for (const MixEntry& entry : entries.subspan(1)) {
            others += (entry.term == no_index ? 1.0F : terms[entry.term]) * mask(entry.mask);
        }
        const MixEntry& lowest = entries.front();
        const float first = lowest.term == no_index ? std::max(0.0F, 1 - others) : terms[lowest.term];
        const float all = first + others;
        const float own = channel.rest ? first + std::max(0.0F, 1 - all) : mask(channel.mask);
        return own / std::max(1.0F, all);
    }

    alignas(cache_line) std::array<std::array<float, window_lanes>, most_channels> rows_; // NOLINT: as many as channels
};

/// Clips that are summed into rows, many at a time.
class Summing {
public:
    explicit Summing(PoseRows out) : out_(out) {}

    kernels::BlendSource& add(const Sample& sample, Window window) {
        const SampledClip& clip = *sample.clip;
        if (count_ == sources_.size()) { sum(window); }
        kernels::BlendSource& source = sources_[count_++];
        source.from = clip.frame(sample.frame) + window.first;
        source.to = source.from + (sample.frame < clip.intervals ? 4 * clip.stride : 0);
        source.stride = clip.stride;
        source.second_weight = sample.weight * sample.fraction;
        source.first_weight = sample.weight - source.second_weight;
        source.signs = nullptr;
        return source;
    }
    /// Lets the rows hold the sum so far; what is added to them then counts too.
    void sum(Window window) {
        if (!begun_) {
            for (std::size_t row = 0; row < 4; ++row) {
                std::fill_n(out_.first + row * out_.stride, window.lanes, 0.0F);
            }
        }
        begun_ = true;
        if (count_ > 0) { kernels::accumulate({out_.first, out_.stride}, sources_.data(), count_, window.lanes); }
        count_ = 0;
    }
    /// Lets the rows hold the sum as unit quaternions.
    void finish(Window window) {
        if (!begun_) { return kernels::blend({out_.first, out_.stride}, sources_.data(), count_, window.lanes); }
        sum(window);
        kernels::normalize({out_.first, out_.stride}, window.lanes);
    }

private:
    PoseRows out_;
    bool begun_ = false;
    std::size_t count_ = 0;
    std::array<kernels::BlendSource, 32> sources_; // NOLINT: only the first `count_` hold anything
};

/// Collects the clips of a window's blend.
class WindowBlend {
public:
    WindowBlend(const CharacterData& data, Window window, PoseRows out)
        : data_(data), window_(window), out_(out), poses_(out), differences_({turn_.data(), window_lanes}) {}

    /// The signs of the instance whose clips are added next.
    void begin_instance(const std::uint32_t* words) {
        signs_ = words;
        any_sign_ = 0;
        for (std::size_t w = window_.first / 32; w < std::min(window_.end() / 32 + 1, data_.layout.sign_words); ++w) {
            any_sign_ |= words[w];
        }
    }

    /// What is covered by no clip: the rest pose, so much of it.
    void add_rest(float masked, float whole_body, const float* mask) {
        poses_.sum(window_);
        float* w = out_.first + 3 * out_.stride;
        for (std::size_t lane = 0; lane < window_.lanes; ++lane) {
            w[lane] += whole_body + masked * (mask != nullptr ? mask[lane] : 1.0F);
        }
    }

    void add(const Sample& sample) {
        const SampledClip& clip = *sample.clip;
        if (factor_count_ == factors_.size()) { sum_poses(); }
        kernels::BlendSource& source = poses_.add(sample, window_);
        const bool turned = sample.odd_loop && clip.any_odd;
        // A profile runs beside the lanes as signs do.
        const bool as_it_is = any_sign_ == 0 && !turned && sample.profile_stays;
        source.signs = as_it_is ? sample.profile : factors_for(sample, turned);
        if (!clip.steps.empty()) {
            sum_poses();
            add_steps(sample, signs_, window_, out_);
        }
    }

    /// Adds a clip's differences on top of the rest.
    void add_difference(const Sample& sample) {
        adds_ = true;
        differences_.add(sample, window_).signs = sample.profile;
        if (!sample.profile_stays) { differences_.sum(window_); }
    }

    /// What a clip has of translations and scales.
    void add_offsets(const Sample& sample) {
        const SampledClip& clip = *sample.clip;
        float* translations = out_.first + 4 * out_.stride;
        const auto add = [&](const SparseRows& values, float* rows) {
            const auto& joints = values.joints;
            const bool none = joints.empty() || joints.front() >= window_.end() || joints.back() < window_.first;
            if (!none) { add_sparse(values, sample, window_, rows, out_.stride); }
        };
        add(clip.still_translations, translations);
        add(clip.moving_translations, translations);
        if (data_.scales) {
            float* scales = out_.first + 7 * out_.stride;
            add(clip.still_scales, scales);
            add(clip.moving_scales, scales);
        }
    }

    void finish() {
        poses_.finish(window_);
        if (!adds_) { return; }
        differences_.sum(window_);
        kernels::turn_by({out_.first, out_.stride}, {turn_.data(), window_lanes}, window_.lanes);
    }

private:
    const float* factors_for(const Sample& sample, bool turned) {
        auto& factors = factors_[factor_count_++];
        kernels::spread_signs(signs_, window_.first, factors.data(), window_.lanes);
        for (std::size_t lane = 0; turned && lane < window_.lanes; ++lane) {
            const std::size_t joint = window_.first + lane;
            if (joint >= data_.rig.joints.size()) { break; }
            if (((sample.clip->odd[joint / 32] >> (joint % 32)) & 1U) != 0) { factors[lane] = -factors[lane]; }
        }
        if (sample.profile == nullptr) { return factors.data(); }
        for (std::size_t lane = 0; lane < window_.lanes; ++lane) { factors[lane] *= sample.profile[lane]; }
        return factors.data();
    }

    void sum_poses() {
        poses_.sum(window_);
        factor_count_ = 0;
    }

    const CharacterData& data_;
    Window window_;
    PoseRows out_;
    const std::uint32_t* signs_ = nullptr; ///< of the instance, a bit for each of the character's joints
    std::uint32_t any_sign_ = 0;
    std::size_t factor_count_ = 0;
    bool adds_ = false;
    alignas(cache_line) std::array<std::array<float, window_lanes>, 8> factors_; // NOLINT: `factor_count_` of them
    alignas(cache_line) std::array<float, 4 * window_lanes> turn_; // NOLINT: filled when something is added
    Summing poses_, differences_;
};

void apply_offset(const CharacterData& data, const PerformerBlock& block, double elapsed, Window window, PoseRows out) {
    const LayerHeader& layer = block.layer();
    const Window reach = block.reach();
    const OffsetUnits units = block.offset_units(window.first);
    alignas(cache_line) std::array<float, 3 * window_lanes> turn{};
    const std::size_t first = std::max(window.first, reach.first), end = std::min(window.end(), reach.end());
    for (std::size_t axis = 0; axis < 3; ++axis) {
        const std::int16_t* start = block.offset_turn(axis);
        const std::int16_t* velocity = block.offset_turn(axis + 3);
        for (std::size_t lane = first; lane < end; ++lane) {
            const OffsetCurve curve{float(start[lane - reach.first]) * units.start,
                                    float(velocity[lane - reach.first]) * units.velocity};
            turn[axis * window_lanes + lane - window.first] = float(decayed(curve, layer.offset_seconds, elapsed));
        }
    }
    kernels::turn_by({out.first, out.stride}, {turn.data(), window_lanes}, window.lanes);
    const float* move = block.offset_move();
    for (std::size_t i = 0; i < data.moved.size(); ++i) {
        const auto [row, joint] = data.moved[i];
        if (joint < first || joint >= end) { continue; }
        out.first[row * out.stride + joint - window.first] +=
            float(decayed({move[i], move[data.moved.size() + i]}, layer.offset_seconds, elapsed));
    }
}

Quat quat_at(const WindowPose& pose, std::size_t lane) {
    return {pose.rows[lane], pose.rows[window_lanes + lane], pose.rows[2 * window_lanes + lane],
            pose.rows[3 * window_lanes + lane]};
}

/// The rotation vector of a unit quaternion with w >= 0, radians.
Vec3 rotation_vector(Quat q) {
    const double sine = std::sqrt(double(q.x) * q.x + double(q.y) * q.y + double(q.z) * q.z);
    const double scale = sine < 1e-9 ? 2.0 : 2 * std::atan2(sine, double(q.w)) / sine;
    return {float(q.x * scale), float(q.y * scale), float(q.z * scale)};
}

} // namespace

std::array<float, most_instances> instance_shares(const LayerHeader& layer, const Evaluation& what) {
    std::array<float, most_instances> shares{};
    if (layer.instance_count == 1 && what.first_instance == 0 && what.last_instance > 0) {
        shares[0] = 1;
        return shares;
    }
    double rest = 1;
    for (std::size_t i = std::min<std::size_t>(layer.instance_count, what.last_instance); i-- > what.first_instance;) {
        const Instance& instance = layer.instances[i];
        const double elapsed = instance.elapsed + what.shift;
        const double own =
            i == what.first_instance || !(instance.fade > 0) ? 1.0 : eased(instance.ease, elapsed / instance.fade);
        shares[i] = float(rest * own);
        rest *= 1 - own;
    }
    return shares;
}

namespace {

/// At what instant an instance is looked at, and how much it counts.
struct InstanceAt {
    float share = 0;
    const float* mask = nullptr;          ///< [the window's lanes] what its weight is multiplied by; null: nothing
    const float* mask_of_added = nullptr; ///< the same for what is added
    double shift = 0;                     ///< seconds from now
    double strides = 0;                   ///< of the shared phase, then
};

void add_instance(const CharacterData& data, const PerformerBlock& block, const Instance& instance,
                  const InstanceAt& at, std::size_t lanes, WindowBlend& blend, const Profiles* profiles) {
    const auto leaves = leaves_of(data, instance);
    for (const Playhead& playhead : block.playing(instance)) {
        const Leaf& leaf = leaves[playhead.leaf];
        const float weight = at.share * playhead.weight;
        const float* own = profiles != nullptr ? profiles->of(leaf.channel) : nullptr;
        if (!(weight > 0)) { continue; }
        const bool adds = leaf.additive != no_index;
        const SampledClip& clip = adds ? data.additives[leaf.additive] : data.clips[leaf.clip];
        ClipPlace place{playhead.position, playhead.loops};
        if (follows_phase(instance, leaf)) {
            place = split_place(data.motions.warp_of(leaf).place(at.strides));
        } else {
            place.position += at.shift * own_speed(instance, leaf, playhead);
        }
        Sample sample = sample_at(clip, leaf, place.position, place.loops, weight);
        alignas(cache_line) std::array<float, window_lanes> both; // NOLINT: filled when it is used
        const auto under = [&](const float* mask) {
            sample.profile = mask == nullptr ? own : mask;
            sample.profile_stays = mask == nullptr || own == nullptr;
            if (sample.profile_stays) { return; }
            for (std::size_t lane = 0; lane < lanes; ++lane) { both[lane] = mask[lane] * own[lane]; }
            sample.profile = both.data();
        };
        // Translations are brought to a whole when all are summed, those of what is added with them.
        under(at.mask);
        blend.add_offsets(sample);
        if (!adds) {
            blend.add(sample);
            continue;
        }
        if (at.mask != at.mask_of_added) { under(at.mask_of_added); }
        blend.add_difference(sample);
    }
}

} // namespace

float offset_left(const LayerHeader& layer) {
    if (layer.offset_active == 0) { return 0; }
    return float(1 - eased(Ease::smooth, layer.offset_elapsed / double(layer.offset_seconds)));
}

namespace {

/// The part of the values of the motion `serial` that shows through those above it; 0 when it is gone.
double share_left(const LayerHeader& layer, std::uint32_t serial) {
    if (layer.instances[0].serial != serial) { return 0; }
    double left = 1;
    for (std::size_t i = 1; i < layer.instance_count; ++i) {
        const Instance& instance = layer.instances[i];
        left *= instance.fade > 0 ? 1 - eased(instance.ease, instance.elapsed / instance.fade) : 0;
    }
    return left;
}

/// What is left of the values that were folded away, 1 to 0. They stand below the motions above them.
float value_offset_left(const LayerHeader& layer) {
    return offset_left(layer) * float(share_left(layer, layer.offset_serial));
}

} // namespace

namespace {

/// As weights, which are not negative.
Folded counted(const Folded& folded) { return {std::max(0.0F, folded.masked), std::max(0.0F, folded.whole_body)}; }

} // namespace

PoseShares pose_shares(const CharacterData& data, const PerformerBlock& block, const Evaluation& what) {
    const LayerHeader& layer = block.layer();
    const CompiledLayer& own = data.layers[block.layer_index()];
    PoseShares result;
    result.share = instance_shares(layer, what);
    if (!own.has_nothing && !own.has_whole_body) { return result; }
    const std::size_t last = std::min<std::size_t>(layer.instance_count, what.last_instance);
    result.masked = 0;
    std::size_t newest = last;
    for (std::size_t i = what.first_instance; i < last; ++i) {
        const CompiledState& state = data.states[layer.instances[i].state];
        if (data.motions.motions[state.motion].nothing) {
            result.share[i] = 0;
            continue;
        }
        newest = i;
        (state.whole_body ? result.whole_body : result.masked) += result.share[i];
    }
    if (own.mode == LayerMode::add) { return result; }
    if (what.folded != nullptr) {
        result.folded = *what.folded;
    } else if (what.with_offset) {
        const float left = value_offset_left(layer);
        result.folded = {layer.offset_masked * left, layer.offset_whole_body * left};
    }
    // What was folded may have covered less than what stays: then it only takes from the cover.
    const Folded counts = counted(result.folded);
    const float all = result.masked + result.whole_body + counts.masked + counts.whole_body;
    if (all > 0) {
        result.scale = 1 / all;
        for (float& share : result.share) { share *= result.scale; }
    } else if (newest < last) {
        // Only just entered, it shows what it will be.
        result.share[newest] = 1;
    }
    return result;
}

namespace {

/// Where motions count on unlike parts of the body, the sum of their weights differs from lane to lane.
struct UnlikeCover {
    // NOLINTNEXTLINE: filled when it is used
    alignas(cache_line) std::array<float, window_lanes> inverse, mask_over; ///< one over that sum, and the mask over it

    struct Range {
        std::size_t first, last;
    };
    void fill(const CharacterData& data, const LayerHeader& layer, const PoseShares& shares, Range instances,
              std::span<const float> mask) {
        const Folded counts = counted(shares.folded);
        float masked = counts.masked * shares.scale, whole_body = counts.whole_body * shares.scale;
        for (std::size_t i = instances.first; i < instances.last; ++i) {
            (data.states[layer.instances[i].state].whole_body ? whole_body : masked) += shares.share[i];
        }
        for (std::size_t lane = 0; lane < mask.size(); ++lane) {
            const float sum = masked * mask[lane] + whole_body;
            inverse[lane] = sum > 1e-6F ? 1 / sum : 0;
            mask_over[lane] = mask[lane] * inverse[lane];
        }
    }
};

/// Translations and scales of a sum as if its weights made up 1; `inverse` is one over what they make up.
void scale_offsets(const CharacterData& data, Window window, const float* inverse, PoseRows out) {
    for (const auto& [row, joint] : data.moved) {
        if (joint < window.first || joint >= window.end()) { continue; }
        const std::size_t lane = joint - window.first;
        const float rest = data.rest[(row - 4U) * data.layout.lanes + joint];
        float& value = out.first[row * out.stride + lane];
        if (inverse[lane] > 0) { value = rest + (value - rest) * inverse[lane]; }
    }
}

} // namespace

void fill_rest(const CharacterData& data, Window window, PoseRows out) {
    for (std::size_t row = 4; row < data.layout.pose_rows; ++row) {
        std::copy_n(data.rest.data() + (row - 4) * data.layout.lanes + window.first, window.lanes,
                    out.first + row * out.stride);
    }
}

namespace {

/// The same of what some clip moves alone, where it is little.
void fill_moved_rest(const CharacterData& data, Window window, PoseRows out) {
    constexpr std::size_t lanes_at_once = 4; // a whole row is copied so much more quickly
    if (data.moved.size() * lanes_at_once > (data.layout.pose_rows - 4) * data.layout.lanes) {
        return fill_rest(data, window, out);
    }
    for (const auto& [row, joint] : data.moved) {
        const std::size_t lane = joint - window.first; // wraps round to a large one before the window
        if (lane < window.lanes) {
            out.first[row * out.stride + lane] = data.rest[(row - 4U) * data.layout.lanes + joint];
        }
    }
}

} // namespace

LayerPose::LayerPose(const CharacterData& data, const PerformerBlock& block, const Evaluation& what)
    : data_(data), block_(block), what_(what), shares_(pose_shares(data, block, what)),
      strides_(strides_of(block.layer())) {
    if (what.shift != 0) { strides_ = PhaseClock(data, block, 0).after(strides_, what.shift); }
}

void LayerPose::evaluate(Window window, PoseRows out) const {
    const LayerHeader& layer = block_.layer();
    fill_moved_rest(data_, window, out);
    WindowBlend blend(data_, window, out);
    const CompiledLayer& own = data_.layers[block_.layer_index()];
    // Only beside a motion that counts beyond the mask it matters where the others do. In model space a joint outside
    // the mask carries those inside it, so that all motions count there.
    const bool unlike = shares_.whole_body + shares_.folded.whole_body > 0 && own.space == LayerSpace::local;
    const float* mask = unlike && own.mask != nothing ? data_.masks[own.mask].data() + window.first : nullptr;
    const std::size_t last = std::min<std::size_t>(layer.instance_count, what_.last_instance);
    UnlikeCover unlike_cover;
    if (mask != nullptr) {
        unlike_cover.fill(data_, layer, shares_, {what_.first_instance, last}, {mask, window.lanes});
    }
    const Folded counts = counted(shares_.folded);
    const Folded folded{counts.masked * shares_.scale, counts.whole_body * shares_.scale};
    if (folded.masked + folded.whole_body > 0) { blend.add_rest(folded.masked, folded.whole_body, mask); }
    Room<Profiles, most_instances> profiles; // what they hold stays until the window is done
    for (std::size_t i = what_.first_instance; i < last; ++i) {
        if (!(shares_.share[i] > 0)) { continue; }
        const Instance& instance = layer.instances[i];
        const CompiledState& state = data_.states[instance.state];
        InstanceAt at{shares_.share[i], nullptr, nullptr, what_.shift, strides_};
        if (mask != nullptr) {
            at.mask = state.whole_body ? nullptr : mask;
            at.mask_of_added = state.whole_body ? unlike_cover.inverse.data() : unlike_cover.mask_over.data();
        }
        blend.begin_instance(block_.signs(instance));
        const bool has_channels = data_.motions.motions[state.motion].channel_count > 0;
        const Profiles* own_profiles = has_channels ? &profiles.make(i, data_, block_, instance, window) : nullptr;
        add_instance(data_, block_, instance, at, window.lanes, blend, own_profiles);
    }
    blend.finish();
    if (mask != nullptr) { scale_offsets(data_, window, unlike_cover.inverse.data(), out); }
    if (what_.with_offset && layer.offset_active != 0) {
        apply_offset(data_, block_, std::max(0.0, layer.offset_elapsed + what_.shift), window, out);
    }
}

namespace {

/// How much of a clip's weight counts where the travel is: at the rig's root.
double root_part(const CharacterData& data, const PerformerBlock& block, const Instance& instance, const Leaf& leaf) {
    if (leaf.channel == 0) { return 1; }
    const Profiles profiles(data, block, instance, {0, 1});
    return double(*profiles.of(leaf.channel));
}

} // namespace

WeighedTravel weigh_travel(const CharacterData& data, const PerformerBlock& block, const Evaluation& what, double dt,
                           PhaseStep phase) {
    const LayerHeader& layer = block.layer();
    const auto shares = instance_shares(layer, what);
    WeighedTravel sum;
    const std::size_t last = std::min<std::size_t>(layer.instance_count, what.last_instance);
    for (std::size_t i = what.first_instance; i < last; ++i) {
        const Instance& instance = layer.instances[i];
        const CompiledState& state = data.states[instance.state];
        const Motion& motion = data.motions.motions[state.motion];
        const bool claims = block.layer_index() == 0 ||
                            (!motion.nothing && (data.layers[block.layer_index()].takes_travel || state.takes_travel));
        if (!(shares[i] > 0) || !claims) { continue; }
        sum.claim += double(shares[i]);
        if (state.game_moves) { continue; }
        const auto leaves = data.motions.leaves_of(motion);
        if (instance.frozen == 0 && motion.paced) {
            const Bend& bend = block.bend(instance);
            sum.twist.x -= double(shares[i]) * double(bend.right) * dt;
            sum.twist.z += double(shares[i]) * double(bend.ahead) * dt;
        }
        for (const Playhead& playhead : block.playing(instance)) {
            const Leaf& leaf = leaves[playhead.leaf];
            const TravelPath& travel = data.clips[leaf.clip].travel;
            if (!travel.travels || leaf.additive != no_index) { continue; }
            const double weight = double(shares[i]) * double(playhead.weight) * root_part(data, block, instance, leaf);
            double from = playhead.position, to = from + dt * own_speed(instance, leaf, playhead);
            if (follows_phase(instance, leaf)) {
                const PhaseWarp& warp = data.motions.warp_of(leaf);
                from = warp.place(phase.from);
                to = warp.place(phase.to);
            }
            if (!leaf.loops) { to = std::clamp(to, 0.0, 1.0); }
            const BodyStep own = travel_between(travel, from, to);
            sum.twist = {sum.twist.x + weight * own.x, sum.twist.y + weight * own.y, sum.twist.z + weight * own.z,
                         sum.twist.yaw + weight * own.yaw};
            sum.share += weight;
        }
    }
    return sum;
}

BodyStep offset_travel(const LayerHeader& layer, double dt) {
    if (layer.offset_active == 0) { return {}; }
    // Simpson's rule over the part of the step in which it still decays.
    const double seconds = double(layer.offset_seconds), from = layer.offset_elapsed;
    const double to = std::min(from + dt, seconds);
    if (!(to > from)) { return {}; }
    const auto left = [&](double at) { return decayed({1, 0}, seconds, at); };
    const double integral = (to - from) / 6 * (left(from) + 4 * left((from + to) / 2) + left(to));
    return scaled(layer.offset_travel, integral);
}

namespace {

/// The velocity that these instances give the body now, a second.
BodyStep travel_velocity(const CharacterData& data, const PerformerBlock& block, const Evaluation& what) {
    const double strides = strides_of(block.layer());
    const PhaseStep phase{strides, PhaseClock(data, block, what.shift).after(strides, velocity_step)};
    return scaled(weigh_travel(data, block, what, velocity_step, phase).twist, 1 / velocity_step);
}

/// Where what moves from `now` to `later` was as long before: for a motion that has only just begun and has no earlier.
void reflect(const CharacterData& data, Window window, const WindowPose& now, WindowPose& later) {
    for (std::size_t lane = 0; lane < window.lanes; ++lane) {
        const Quat here = quat_at(now, lane);
        Quat there = quat_at(later, lane);
        if (dot(here, there) < 0) { there = -there; }
        const Quat back = here * conjugate(there) * here;
        for (const auto& [row, value] : {std::pair{0, back.x}, {1, back.y}, {2, back.z}, {3, back.w}}) {
            later.rows[std::size_t(row) * window_lanes + lane] = value;
        }
    }
    for (const auto& [row, joint] : data.moved) {
        const std::size_t lane = joint - window.first; // wraps round to a large one before the window
        if (lane >= window.lanes) { continue; }
        const std::size_t cell = row * window_lanes + lane;
        later.rows[cell] = 2 * now.rows[cell] - later.rows[cell];
    }
}

/// A value summed over these instances.
float summed_value(const CharacterData& data, const LayerHeader& layer, const Evaluation& what, std::size_t value) {
    const auto shares = instance_shares(layer, what);
    float sum = 0;
    for (std::size_t i = what.first_instance; i < std::min<std::size_t>(layer.instance_count, what.last_instance);
         ++i) {
        sum += shares[i] * data.state_values[layer.instances[i].state * data.value_info.size() + value];
    }
    return sum;
}

} // namespace

namespace {

/// A number that the states of a layer give, and how much of the layer gives it.
struct GivenNumber {
    float sum = 0, part = 0;
};

GivenNumber number_of_layer(const CharacterData& data, const PerformerBlock& block, std::size_t value) {
    const LayerHeader& layer = block.layer();
    const std::size_t count = data.value_info.size();
    const auto shares = instance_shares(layer, {});
    GivenNumber given;
    for (std::size_t i = 0; i < layer.instance_count; ++i) {
        const std::size_t cell = layer.instances[i].state * count + value;
        if (block.layer_index() > 0 && data.state_gives[cell] == 0) { continue; }
        given.sum += shares[i] * data.state_values[cell];
        given.part += shares[i];
    }
    given.sum += block.value_offset()[value] * value_offset_left(layer);
    return given;
}

/// What switches: of the state that is entered, or of the one before until the middle of the fade. Nothing where the
/// layer has none.
std::optional<float> switch_of_layer(const CharacterData& data, const PerformerBlock& block, std::size_t value) {
    const LayerHeader& layer = block.layer();
    const ValueInfo& info = data.value_info[value];
    std::size_t i = layer.instance_count - 1U;
    while (info.at_middle && i > 0 && layer.instances[i].elapsed < layer.instances[i].fade / 2) { --i; }
    const Instance& instance = layer.instances[i];
    if (info.at_middle && instance.inertial != 0 && instance.elapsed < instance.fade / 2 && layer.offset_active != 0) {
        return block.value_offset()[value];
    }
    const std::size_t cell = instance.state * data.value_info.size() + value;
    if (block.layer_index() > 0 && (data.state_gives[cell] == 0 || !(layer.weight.value > 0))) { return std::nullopt; }
    return data.state_values[cell];
}

} // namespace

float value_now(const CharacterData& data, const PerformerBlock& block, std::size_t value) {
    float now = 0;
    for (std::size_t l = 0; l < data.layers.size(); ++l) {
        const PerformerBlock own = block.of_layer(l);
        if (data.value_info[value].kind == ParameterKind::number) {
            const GivenNumber given = number_of_layer(data, own, value);
            const auto weight = float(own.layer().weight.value);
            now = l == 0 ? given.sum : now * (1 - weight * given.part) + weight * given.sum;
        } else if (const auto given = switch_of_layer(data, own, value)) {
            now = *given;
        }
    }
    return now;
}

namespace {

/// Stores the rotation vectors of a window as integers from component `first` on, and says what one of them stands for.
float store_offset(const PerformerBlock& block, std::size_t first, Window window,
                   const std::array<Vec3, window_lanes>& vectors) {
    const std::span of_window{vectors.data(), window.lanes};
    float greatest = 0;
    for (const Vec3& v : of_window) { greatest = std::max({greatest, std::fabs(v.x), std::fabs(v.y), std::fabs(v.z)}); }
    constexpr float most = 32767;
    const float scale = greatest > 0 ? most / greatest : 0;
    for (std::size_t lane = 0; lane < window.lanes; ++lane) {
        const std::size_t at = window.first + lane - block.reach().first;
        const Vec3& v = vectors[lane];
        block.offset_turn(first)[at] = std::int16_t(std::lround(v.x * scale));
        block.offset_turn(first + 1)[at] = std::int16_t(std::lround(v.y * scale));
        block.offset_turn(first + 2)[at] = std::int16_t(std::lround(v.z * scale));
    }
    return greatest / most;
}

} // namespace

void capture_offset(const CharacterData& data, const PerformerBlock& block, const Evaluation& what_before,
                    const Evaluation& what_after, double seconds) {
    LayerHeader& layer = block.layer();
    const bool just_begun = layer.instances[what_after.first_instance].elapsed < velocity_step;
    // What was covered stays so, and goes as the offset does.
    const PoseShares covered_before = pose_shares(data, block, what_before),
                     covered_after = pose_shares(data, block, what_after);
    const Folded folded{covered_before.masked + covered_before.folded.masked - covered_after.masked,
                        covered_before.whole_body + covered_before.folded.whole_body - covered_after.whole_body};
    const auto at = [](Evaluation what, double shift) {
        what.shift = shift;
        return what;
    };
    Evaluation what_stays = what_after;
    what_stays.folded = &folded;
    const LayerPose pose_before(data, block, what_before),
        pose_earlier_before(data, block, at(what_before, -velocity_step)), pose_after(data, block, what_stays),
        pose_earlier_after(data, block, at(what_stays, just_begun ? velocity_step : -velocity_step));
    each_window(block.reach(), [&](Window window) {
        WindowPose before, earlier_before, after, earlier_after;
        pose_before.evaluate(window, {before.rows.data(), window_lanes});
        pose_earlier_before.evaluate(window, {earlier_before.rows.data(), window_lanes});
        pose_after.evaluate(window, {after.rows.data(), window_lanes});
        pose_earlier_after.evaluate(window, {earlier_after.rows.data(), window_lanes});
        if (just_begun) { reflect(data, window, after, earlier_after); }
        std::array<Vec3, window_lanes> starts, velocities; // NOLINT: filled lane by lane
        for (std::size_t lane = 0; lane < window.lanes; ++lane) {
            Quat now = quat_at(before, lane) * conjugate(quat_at(after, lane));
            if (now.w < 0) { now = -now; }
            Quat earlier = quat_at(earlier_before, lane) * conjugate(quat_at(earlier_after, lane));
            if (dot(earlier, now) < 0) { earlier = -earlier; }
            const Vec3 start = rotation_vector(now);
            const Vec3 velocity = (start - rotation_vector(earlier)) * float(1 / velocity_step);
            starts[lane] = start;
            velocities[lane] = velocity;
        }
        OffsetUnits& units = block.offset_units(window.first);
        units = {store_offset(block, 0, window, starts), store_offset(block, 3, window, velocities)};
        for (std::size_t i = 0; i < data.moved.size(); ++i) {
            const auto [row, joint] = data.moved[i];
            if (joint < window.first || joint >= window.first + window.lanes) { continue; }
            const std::size_t cell = row * window_lanes + joint - window.first;
            const float start = before.rows[cell] - after.rows[cell];
            const float earlier = earlier_before.rows[cell] - earlier_after.rows[cell];
            block.offset_move()[i] = start;
            block.offset_move()[data.moved.size() + i] = (start - earlier) * float(1 / velocity_step);
        }
    });
    if (data.travels) {
        const BodyStep with = travel_velocity(data, block, what_before),
                       without = travel_velocity(data, block, what_after);
        const BodyStep left = scaled(offset_travel(layer, velocity_step), 1 / velocity_step);
        layer.offset_travel = {with.x - without.x + left.x, with.y - without.y + left.y, with.z - without.z + left.z,
                               with.yaw - without.yaw + left.yaw};
    }
    const float still_left = value_offset_left(layer);
    // The lowest of what stays gets all of it: as much more as the motions above it hide.
    double hidden = 1;
    for (std::size_t i = what_after.first_instance + 1; i < layer.instance_count; ++i) {
        const Instance& instance = layer.instances[i];
        hidden *= 1 - eased(instance.ease, instance.elapsed / instance.fade);
    }
    for (std::size_t v = 0; v < data.value_info.size(); ++v) {
        float& offset = block.value_offset()[v];
        if (data.value_info[v].kind == ParameterKind::number) {
            const float all = summed_value(data, layer, what_before, v) - summed_value(data, layer, what_after, v) +
                              offset * still_left;
            offset = hidden > 1e-6 ? all / float(hidden) : 0;
        } else {
            const std::size_t newest = std::min<std::size_t>(what_before.last_instance, layer.instance_count) - 1;
            offset = data.state_values[layer.instances[newest].state * data.value_info.size() + v];
        }
    }
    layer.offset_masked = hidden > 1e-6 ? folded.masked / float(hidden) : 0;
    layer.offset_whole_body = hidden > 1e-6 ? folded.whole_body / float(hidden) : 0;
    layer.offset_serial = layer.instances[what_after.first_instance].serial;
    layer.offset_active = 1;
    layer.offset_seconds = float(seconds);
    layer.offset_elapsed = 0;
}

void choose_signs(const CharacterData& data, const PerformerBlock& block) {
    const LayerHeader& layer = block.layer();
    const std::size_t newest = layer.instance_count - 1U;
    std::uint32_t* signs = block.signs(layer.instances[newest]);
    std::fill_n(signs, data.layout.sign_words, 0U);
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
            }
        }
    });
}

} // namespace gait
