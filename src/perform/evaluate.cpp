#include "perform/evaluate.hpp"

#include "math/pose_kernels.hpp"
#include "math/room.hpp"
#include "perform/channel_profiles.hpp"
#include "perform/inertial_offset.hpp"
#include "perform/playheads.hpp"

#include <algorithm>
#include <span>

namespace gait {
namespace {

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

    alignas(cache_line) std::array<std::array<float, window_lanes>, 8> factors_; // NOLINT: `factor_count_` of them
    alignas(cache_line) std::array<float, 4 * window_lanes> turn_; // NOLINT: filled when something is added
    const CharacterData& data_;
    Window window_;
    PoseRows out_;
    const std::uint32_t* signs_ = nullptr; ///< of the instance, a bit for each of the character's joints
    std::size_t factor_count_ = 0;
    Summing poses_, differences_;
    std::uint32_t any_sign_ = 0;
    bool adds_ = false;
};

/// At what instant an instance is looked at, and how much it counts.
struct InstanceAt {
    float share = 0;
    const float* mask = nullptr;          ///< [the window's lanes] what its weight is multiplied by; null: nothing
    const float* mask_of_added = nullptr; ///< the same for what is added
    double shift = 0;                     ///< seconds from now
    double strides = 0;                   ///< of the shared phase, then
};

void add_instance(const CharacterData& data, const PerformerBlock& block, const Instance& instance,
                  const InstanceAt& at, std::size_t lanes, WindowBlend& blend, const ChannelProfiles* profiles) {
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

/// As `fill_rest`, of what some clip moves alone, where it is little.
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

void fill_rest(const CharacterData& data, Window window, PoseRows out) {
    for (std::size_t row = 4; row < data.layout.pose_rows; ++row) {
        std::copy_n(data.rest.data() + (row - 4) * data.layout.lanes + window.first, window.lanes,
                    out.first + row * out.stride);
    }
}

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
    Room<ChannelProfiles, most_instances> profiles; // what they hold stays until the window is done
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
        const ChannelProfiles* own_profiles =
            has_channels ? &profiles.make(i, data_, block_, instance, window) : nullptr;
        add_instance(data_, block_, instance, at, window.lanes, blend, own_profiles);
    }
    blend.finish();
    if (mask != nullptr) { scale_offsets(data_, window, unlike_cover.inverse.data(), out); }
    if (what_.with_offset && layer.offset_active != 0) {
        apply_offset(data_, block_, std::max(0.0, layer.offset_elapsed + what_.shift), window, out);
    }
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
