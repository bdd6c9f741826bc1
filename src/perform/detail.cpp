#include "perform/detail.hpp"

#include "gait/ease.hpp"
#include "gait/eases.hpp"
#include "math/pose_kernels.hpp"
#include "perform/blend_layers.hpp"
#include "perform/foot_lock.hpp"

#include <algorithm>
#include <array>
#include <cmath>

namespace gait::detail {
namespace {

/// Joints come to rest, and a pose closes in on what it was kept from, in so long. Seconds.
constexpr float change_seconds = 0.25F;
/// Where the last step took no time, poses are taken to be so far apart. Seconds.
constexpr double usual_step = 1.0 / 60;

/// The pose, and what is kept beside it: each rotation, and what is moved.
class KeptPose {
public:
    KeptPose(const CharacterData& data, const PerformerBlock& block) : data_(data), block_(block) {}

    [[nodiscard]] std::size_t lanes() const { return data_.layout.lanes; }
    [[nodiscard]] std::size_t lanes_of(std::uint16_t lanes) const { return lanes == 0 ? data_.layout.lanes : lanes; }

    /// Calls `change(shown, first, second, count)` with the numbers of each of some lanes, as many as belong together:
    /// the four of a rotation, the three of what is moved. What it changes of what is shown and kept is put back.
    template <typename Change> void each(Window lanes, Change change) const {
        float* const pose = block_.pose();
        const std::size_t stride = data_.layout.lanes;
        std::int16_t* const turns = block_.detail_turns();
        for (std::size_t lane = lanes.first; lane < lanes.end(); ++lane) {
            std::array<float, 4> shown;               // NOLINT: filled at once
            std::array<std::array<float, 4>, 2> kept; // NOLINT: as well
            for (std::size_t row = 0; row < 4; ++row) {
                shown[row] = pose[row * stride + lane];
                for (std::size_t k = 0; k < 2; ++k) {
                    kept[k][row] = kernels::SmallPoses::unit * float(turns[(4 * k + row) * stride + lane]);
                }
            }
            change(shown.data(), kept[0].data(), kept[1].data(), 4);
            for (std::size_t row = 0; row < 4; ++row) {
                pose[row * stride + lane] = shown[row];
                for (std::size_t k = 0; k < 2; ++k) {
                    turns[(4 * k + row) * stride + lane] =
                        std::int16_t(std::lrint(kept[k][row] / kernels::SmallPoses::unit));
                }
            }
        }
        const std::size_t first = data_.first_moved(lanes.first), end = data_.first_moved(lanes.end());
        for (std::size_t m = first; m < end; ++m) {
            const MovedJoint& moved = data_.moved[m];
            float* const at = pose + moved.row * stride + moved.joint;
            float* const kept = block_.detail_moves() + 6 * m;
            std::array<float, 3> shown{at[0], at[stride], at[2 * stride]};
            change(shown.data(), kept, kept + 3, 3);
            for (std::size_t axis = 0; axis < 3; ++axis) { at[axis * stride] = shown[axis]; }
        }
        kernels::normalize({pose + lanes.first, stride}, lanes.lanes);
    }

    /// Mixes what is shown with both that are kept.
    void mix(std::size_t lanes, const kernels::KeptShares& shares) const {
        kernels::mix_kept(shown(), kept(), shares, lanes);
        each_moved(lanes, [&](float& shown, float& first, float& second) {
            shown = shares.own * shown + shares.first * first + shares.second * second;
        });
    }
    /// Shows the middle of the two, and keeps the second and what was shown.
    void pass(std::size_t lanes) const {
        kernels::pass_kept(shown(), kept(), lanes);
        each_moved(lanes, [](float& shown, float& first, float& second) {
            const float next = shown;
            shown = (first + second) / 2;
            first = second;
            second = next;
        });
    }

private:
    [[nodiscard]] kernels::Rows shown() const { return {block_.pose(), data_.layout.lanes}; }
    [[nodiscard]] kernels::SmallPoses kept() const { return {block_.detail_turns(), data_.layout.lanes}; }
    template <typename Change> void each_moved(std::size_t lanes, Change change) const {
        for (std::size_t m = 0; m < data_.first_moved(lanes); ++m) {
            const MovedJoint& moved = data_.moved[m];
            float* const shown = block_.pose() + moved.row * data_.layout.lanes + moved.joint;
            float* const kept = block_.detail_moves() + 6 * m;
            for (std::size_t axis = 0; axis < 3; ++axis) {
                change(shown[axis * data_.layout.lanes], kept[axis], kept[3 + axis]);
            }
        }
    }

    const CharacterData& data_;
    const PerformerBlock& block_;
};

float side_of(const float* a, const float* b, std::size_t count) {
    float product = 0;
    for (std::size_t i = 0; i < count; ++i) { product += a[i] * b[i]; }
    return count == 4 && product < 0 ? -1.0F : 1.0F; // of one rotation two quaternions
}

/// Keeps what is shown as the first of the two.
void keep(float* shown, float* first, float* /*second*/, std::size_t count) { std::copy_n(shown, count, first); }

class DetailedPose {
public:
    DetailedPose(const CharacterData& data, const PerformerBlock& block)
        : data_(data), block_(block), state_(block.header().detail), pose_(data, block) {}

    void make() {
        const double elapsed = block_.header().since_posed;
        unbend_legs(data_, block_);
        state_.settles = std::max(0.0F, state_.settles - float(elapsed));
        state_.rests = std::max(0.0F, state_.rests - float(elapsed));
        if (state_.settles > 0) { return settle(); }
        if (state_.rests > 0) { return come_to_rest(); }
        go_on();
        if (state_.settles > 0) { return settle(); }
        if (state_.rests > 0) { return come_to_rest(); }
        if (state_.now.left_out == 0) { return evaluate(lanes_now()); }
        if (state_.aims == 0) { return begin_curve(elapsed); }
        state_.to_end -= elapsed;
        if (state_.to_end > shortest) { return follow(elapsed); }
        go_on_to_next(elapsed);
    }

    /// Takes the next step from the level that is to the one that is asked for.
    void go_on() {
        const bool more_joints = pose_.lanes_of(state_.asked.lanes) > lanes_now();
        const bool fewer_joints = pose_.lanes_of(state_.asked.lanes) < lanes_now();
        // Joints come to rest at the full rate.
        const bool at_full_rate = state_.now.left_out > 0 && (state_.asked.left_out == 0 || fewer_joints);
        if (more_joints || at_full_rate) { return begin_to_settle(more_joints); }
        if (state_.settles > 0 || state_.rests > 0) { return; }
        if (state_.asked.lanes != state_.now.lanes) { return begin_to_rest(); }
        state_.now.left_out = state_.asked.left_out;
    }

private:
    [[nodiscard]] std::size_t lanes_now() const { return pose_.lanes_of(state_.now.lanes); }
    void evaluate(std::size_t lanes, const Evaluation& what = everything_now) const {
        evaluate_pose(data_, block_, {lanes, &what});
    }

    /// More is shown from here on: keeps what the pose that was shown is off the one that is come to.
    void begin_to_settle(bool more_joints) {
        unbend_legs(data_, block_);
        pose_.each({0, pose_.lanes()}, keep);
        if (more_joints) {
            forget_sides();
            state_.now.lanes = state_.asked.lanes;
        }
        state_.now.left_out = 0;
        state_.aims = 0;
        state_.rests = 0;
        state_.settles = change_seconds;
        evaluate(lanes_now());
        pose_.each({0, lanes_now()}, [](float* shown, float* kept, float*, std::size_t count) {
            const float side = side_of(shown, kept, count);
            for (std::size_t i = 0; i < count; ++i) {
                kept[i] = side * kept[i] - shown[i];
                shown[i] += kept[i];
            }
        });
    }

    void settle() const {
        evaluate(lanes_now());
        const auto left = float(eased(Ease::smoother, double(state_.settles / change_seconds)));
        pose_.mix(lanes_now(), {1, left, 0});
    }

    /// Fewer joints are posed from here on: the others come to rest where they are.
    void begin_to_rest() {
        state_.lanes_before = state_.now.lanes;
        state_.now.lanes = state_.asked.lanes;
        state_.rests = change_seconds;
        pose_.each({lanes_now(), pose_.lanes_of(state_.lanes_before) - lanes_now()}, keep);
    }

    void come_to_rest() const {
        const std::size_t before = pose_.lanes_of(state_.lanes_before);
        evaluate(before);
        const auto part = float(eased(Ease::smooth, 1 - double(state_.rests / change_seconds)));
        pose_.each({lanes_now(), before - lanes_now()},
                   [part](float* shown, const float* kept, float*, std::size_t count) {
                       const float side = side_of(shown, kept, count);
                       for (std::size_t i = 0; i < count; ++i) { shown[i] += part * (side * kept[i] - shown[i]); }
                   });
    }

    // Between the poses that are made the shown one follows a quadratic B-spline (de Boor 1978), whose velocity has no
    // leaps: from the middle of two poses to the middle of the next two, drawn by the one between. That one and the
    // next are kept, looked at ahead by half a curve and by one and a half.

    void begin_curve(double elapsed) {
        state_.curve = state_.to_end = (elapsed > 0 ? elapsed : usual_step) * (1 + state_.now.left_out);
        look_ahead(0.5);
        pose_.each({0, lanes_now()}, keep);
        look_ahead(1.5);
        pose_.each({0, lanes_now()}, [](float* shown, float* first, float* second, std::size_t count) {
            const float side = side_of(shown, first, count);
            for (std::size_t i = 0; i < count; ++i) { second[i] = side * shown[i]; }
        });
        evaluate(lanes_now()); // what has been shown until now goes on from here
        pose_.each({0, lanes_now()}, [](float* shown, float* first, float*, std::size_t count) {
            const float side = side_of(shown, first, count);
            for (std::size_t i = 0; i < count; ++i) { shown[i] *= side; }
        });
        state_.aims = 1;
    }

    /// Goes along the curve, of which `to_end` is left after this step.
    void follow(double elapsed) const {
        const double before = 1 - (state_.to_end + elapsed) / state_.curve;
        const auto f = float(elapsed / (state_.to_end + elapsed)), u = float(before);
        // From here to the end of the curve, drawn by what is left of the way to the one between.
        const float towards = 2 * f * (1 - f), end = f * f / 2;
        pose_.mix(lanes_now(), {(1 - f) * (1 - f), towards * (1 - u / 2) + end, towards * u / 2 + end});
    }

    /// Shows the end of the curve, where the next one begins.
    void go_on_to_next(double elapsed) {
        state_.curve = state_.to_end = (elapsed > 0 ? elapsed : usual_step) * (1 + state_.now.left_out);
        look_ahead(1.5);
        pose_.pass(lanes_now());
    }

    void look_ahead(double curves) const { evaluate(lanes_now(), shifted(everything_now, curves * state_.curve)); }

    /// Joints that were at rest find the nearer sides anew.
    void forget_sides() const {
        for (std::size_t l = 1; l < data_.layers.size(); ++l) { block_.of_layer(l).forget_hemispheres(); }
    }

    static constexpr double shortest = 1e-6; // seconds
    const CharacterData& data_;
    const PerformerBlock& block_;
    DetailState& state_;
    KeptPose pose_;
};

} // namespace

void ask_for_detail(const CharacterData& data, const PerformerBlock& block, DetailLevel level) {
    DetailState& state = block.header().detail;
    state.asked = level;
    if (block.header().started == 0) { return take_detail_at_once(state); }
    DetailedPose(data, block).go_on();
}

void make_pose_in_detail(const CharacterData& data, const PerformerBlock& block) { DetailedPose(data, block).make(); }

void take_detail_at_once(DetailState& detail) {
    detail.now = detail.asked;
    detail.settles = detail.rests = 0;
    detail.aims = 0;
    detail.curve = detail.to_end = 0;
}

} // namespace gait::detail
