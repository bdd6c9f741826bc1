/// \file
/// Whether a motion pops, in numbers: the seam, the snap ratio and the pop.
#pragma once

#include "gait/api.hpp"
#include "gait/character.hpp"
#include "gait/ease.hpp"
#include "gait/math.hpp"
#include "gait/no_index.hpp"
#include "gait/performer.hpp"

#include <cstdint>
#include <deque>
#include <functional>
#include <map>
#include <memory>
#include <optional>
#include <span>
#include <vector>

namespace gait {

/// The greatest turn of a joint, and the greatest move of a root, between two poses that are one instant apart.
struct Seam {
    double degrees = 0;
    double millimetres = 0;
    int joint = -1;                      ///< where the turn is greatest
    double time = 0;                     ///< seconds
    std::uint16_t transition = no_index; ///< the last one taken before it; `no_index` for none
    double speed = 0;      ///< the greatest change at once of the speed at which the body goes, metres a second
    double speed_time = 0; ///< seconds
    double turn_rate = 0;  ///< the same of the rate at which it turns, degrees a second
    double turn_time = 0;
};

/// The greatest seam that still counts as smooth, degrees, millimetres, and metres a second.
inline constexpr double seam_bound = 0.05;
/// The greatest change at once of the rate at which the body turns that still does, degrees a second.
inline constexpr double turn_rate_bound = 2;
/// The greatest snap ratio that still counts as smooth.
inline constexpr double snap_ratio_bound = 1.2;

/// How far two poses of `rig` are apart.
[[nodiscard]] GAIT_API Seam seam_between(const Rig& rig, std::span<const Transform> earlier,
                                         std::span<const Transform> later);

/// One motion in a frame, as it would be if it played alone, and the fade that brings it in over those before it.
struct MotionSample {
    std::uint32_t id = 0;
    std::vector<Transform> pose; ///< local
    double fade_seconds = 0;     ///< 0 for no fade
    double fade_elapsed = 0;
    Ease ease = Ease::smooth;
    std::uint16_t transition = no_index; ///< for the report
    /// How much of each joint it is over those before it, 0 to 1, whatever the fade says; empty: as the fade says. A
    /// fade of 0 seconds means that they were cut to this.
    std::vector<float> weights = {};
    std::uint32_t attributed_to = 0; ///< for the report, in place of the id, where there are weights
    /// What it is laid over, where that is not the blend of those before it; local.
    std::vector<Transform> over = {};
};

/// Motions that were left for another with an inertial offset in their place, as they were in that instant.
struct LeftMotions {
    double at = 0;                   ///< the performer's time then, seconds
    std::vector<Vec3> velocity;      ///< [joint] how fast it turned, degrees a second
    std::uint32_t came = 0;          ///< the motion that came
    std::vector<Transform> pose;     ///< its own; local
    std::vector<Vec3> came_velocity; ///< and how fast it turned
};

/// What was shown at an instant, and what it was made of, oldest motion first.
struct SnapFrame {
    double time = 0; ///< seconds
    std::vector<Transform> pose;
    std::vector<MotionSample> motions;
    double offset_seconds = 0; ///< the length of an inertial offset that is decaying; 0 for none
    double offset_elapsed = 0;
    /// [joint] how fast changes of side that decay may change how fast it turns, degrees a second squared; empty for
    /// none
    std::vector<float> decaying = {};
    std::optional<LeftMotions> left = std::nullopt; ///< since the frame before
};

/// The hardest jolt of a transition, over all its frames and joints.
struct Snap {
    double ratio = 0;   ///< jolt over allowance; 1 is as smooth as can be
    double jolt = 0;    ///< change of a joint's angular velocity between two frames, degrees a second
    double allowed = 0; ///< what the clips do by themselves there and what the declared fade needs, degrees a second
    int joint = -1;
    double time = 0;
    std::uint16_t transition = no_index;
    std::uint32_t motion = 0; ///< the id of the motion that was entered
};

/// Measures the snap ratio: how much harder each transition jolts a joint than it must.
///
/// The jolt is the change of angular velocity (the logarithm of the turn between frames, over dt). What is allowed is
/// what the motions do by themselves at that joint plus `dt (2 |w'| dv + |w''| da)`, with w the declared ease over time
/// and da, dv the difference of the two motions in angle and in velocity at that joint; derivatives are differences
/// between the frames. A fade of 0 allows nothing, so its pop counts in full. An inertial offset allows the
/// acceleration of its own quintic. A jolt is held against the greatest allowance within a twentieth of a second of it:
/// one that is no harder than the fade must make a moment later shows no more than that one does.
class GAIT_API SnapMeter {
public:
    /// Frames in order of time, all of the same joints. Frames no time apart replace each other; one earlier than the
    /// last, as after a reset, begins anew.
    void add(SnapFrame frame);

    /// What comes after is no neighbour of what was.
    void pause();

    /// The worst joint of each transition, in order.
    [[nodiscard]] std::vector<Snap> transitions() const;
    /// The worst of all; a ratio of 0 when there was no transition.
    [[nodiscard]] Snap worst() const;
    /// The jolt of the newest complete frame over all joints, degrees a second: for charts.
    [[nodiscard]] double last_jolt() const { return last_jolt_; }

private:
    struct Fading;
    struct Trace;
    class Window;
    void measure();
    void judge_until(double time);
    void allow_for_offset(const Window& window, std::size_t joint, const Trace& shown, const Trace& blend,
                          bool captured, double& left);
    [[nodiscard]] Fading fading_of(const MotionSample& motion, std::size_t joint) const;
    /// A frame in which something faded.
    struct Measured {
        double time = 0;
        std::uint64_t motion = 0;
        std::uint16_t transition = no_index;
        std::vector<double> jolts, allowances; ///< a joint each
        bool judged = false;
    };
    using Worst = std::map<std::uint64_t, Snap>; ///< by the time it was begun anew, and the motion's id
    void judge(const Measured& measured, Worst& worst) const;
    [[nodiscard]] Worst judge_all() const;
    std::vector<SnapFrame> frames_; ///< at most three
    std::deque<Measured> recent_;   ///< those whose neighbours in time still matter
    Worst worst_;
    std::vector<double> offset_allowance_; ///< a joint each, degrees a second squared
    std::vector<Vec3> offset_place_;       ///< a joint each: a rotation vector, degrees, as the offset was caught
    std::vector<double> own_before_; ///< a joint each, what the motions did by themselves a frame ago, degrees a second
    std::vector<Vec3> shown_velocity_; ///< a joint each, degrees a second as it was caught
    bool captured_before_ = false;     ///< it was caught a frame ago
    double offset_before_ = -1;
    double last_jolt_ = 0;
    std::uint64_t begun_ = 0;
};

/// The greatest jolt of a joint against what is usual there.
struct Pop {
    double ratio = 0; ///< jolt over what is usual; above `pop_bound` it shows
    double jolt = 0;  ///< change of its angular velocity in body space in a sixtieth of a second,
                      ///< degrees a second
    double usual = 0; ///< the greatest that a clip which plays then, or from which an inertial fade's offset
                      ///< goes on, makes there by itself, at the pace at which it is played; 300 at least
    int joint = -1;   ///< -1 where there were too few frames
    double time = 0;  ///< seconds
    std::uint16_t transition = no_index; ///< the last one taken before it; `no_index` for none
    double fade_needed = 0; ///< seconds that its fade would have to take not to show; 0 where none is to blame
};

/// The greatest pop that does not show.
inline constexpr double pop_bound = 2;

/// Measures the pop of what is shown, whatever it is made of: layers, additions, moving blends, planted feet.
class GAIT_API PopMeter {
public:
    /// Frames a second.
    static constexpr double rate = 60;

    /// For a performer of this character.
    explicit PopMeter(const Performer& performer);

    /// The next frame, a sixtieth of a second after the one before; what is usual grows with a longer time between.
    void add(const Performer& performer);
    /// What comes after is no neighbour of what was.
    void pause();

    /// The worst of all.
    [[nodiscard]] const Pop& worst() const { return worst_; }
    /// The worst of the newest complete frame, which is the one before the last that was added.
    [[nodiscard]] const Pop& last() const { return last_; }
    /// The greatest jolt of the newest complete frame over all joints, degrees a second: for charts.
    [[nodiscard]] double last_jolt() const { return last_jolt_; }

private:
    struct Frame;
    [[nodiscard]] const std::vector<float>& jolts_of_clip(std::uint16_t clip);
    void measure();
    SharedCharacter character_;
    std::vector<std::shared_ptr<const Frame>> frames_;     ///< at most three
    std::map<std::uint16_t, std::vector<float>> of_clips_; ///< the greatest jolts of clips, [clip][joint]
    std::vector<std::vector<float>> going_on_; ///< those of the clips that a layer plays, or that its offset was caught
                                               ///< from, [layer][joint]
    Pop worst_, last_;
    double last_jolt_ = 0;
};

/// How the body moves in the `seconds` that have just been played, so that feet are planted by it.
using BodyMover = std::function<Travel(const Performer&, double seconds)>;

/// Watches a performer frame by frame. Copies are run through every transition, end and loop, ten microseconds apart,
/// and give the pose at even sixtieths of a second, so that what is measured does not hang on the frame rate.
class GAIT_API SmoothnessWatch {
public:
    /// A few twins of `performer` are kept, to run through instants.
    explicit SmoothnessWatch(const Performer& performer);

    /// `before` has its inputs set for the step of `dt` that led to `after`. Where feet are planted `body` says how the
    /// body moves: `after` is the performer after `plant_feet`, and so was `before`.
    void step(const Performer& before, double dt, const Performer& after, const BodyMover& body = nullptr);

    /// The worst seam so far.
    [[nodiscard]] const Seam& worst_seam() const { return worst_seam_; }
    /// The greatest turn of a joint in an instant of the last step, degrees.
    [[nodiscard]] double last_seam_degrees() const { return last_seam_degrees_; }
    /// The pops so far, of all that is shown.
    [[nodiscard]] const PopMeter& pop() const { return pop_; }
    /// The jolts of a layer so far, as it moves before it is laid over those below. std::out_of_range where there is no
    /// such layer.
    [[nodiscard]] const SnapMeter& snap(std::size_t layer = 0) const { return snaps_.at(layer); }
    /// The jolts of all joints as they are shown; its ratios are those of layers that come, go and change their weight.
    [[nodiscard]] const SnapMeter& laid_over() const { return laid_over_; }
    /// The worst joint of each transition, in its layer or in how that is laid over the others; layer by layer.
    [[nodiscard]] std::vector<Snap> transitions() const;
    /// The worst of all; a ratio of 0 when there was no transition.
    [[nodiscard]] Snap worst_snap() const;

private:
    void begin_anew(const Performer& performer);
    void look_at(const Performer& performer);
    void record(const Performer& earlier, const Performer& later);
    void measure_way(const Performer& before, double dt, const BodyMover& body);
    /// Where a layer's motions were left between `left` and `after`, how fast they turned from `earlier` on.
    void note_left(const Performer& earlier, const Performer& left, const Performer& after);
    Seam worst_seam_;
    double last_seam_degrees_ = 0;
    /// How the body goes: metres a second in its own frame, and degrees a second.
    struct Way {
        Vec3 velocity;
        double turn_rate = 0;
    };
    std::optional<Way> way_;       ///< as the last step ended
    std::vector<SnapMeter> snaps_; ///< a layer each
    SnapMeter laid_over_;
    PopMeter pop_;
    Performer earlier_, later_, sample_, last_, bare_, previous_;
    double previous_dt_ = 0;                       ///< of the step that `previous_` began
    std::vector<std::optional<LeftMotions>> left_; ///< a layer each: see `SnapFrame`
    std::int64_t next_sample_ = 0;                 ///< in sixtieths of a second of the performer's time
    double expected_time_ = 0;                     ///< seconds at which it goes on, unless it was reset
    std::vector<Transform> pose_a_, pose_b_;
};

/// What a layer of `performer` moves now, taken apart for a `SnapMeter`.
[[nodiscard]] GAIT_API SnapFrame snap_frame(const Performer& performer, std::size_t layer = 0);

/// What `performer` shows now, each layer a motion that is laid over those below it, for a `SnapMeter`. A layer that
/// does not count is left out. `cut` [layer]: whether its weight was changed without a fade.
[[nodiscard]] GAIT_API SnapFrame laid_over_frame(const Performer& performer, const std::vector<bool>& cut);

} // namespace gait
