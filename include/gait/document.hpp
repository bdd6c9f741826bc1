/// \file
/// The animator's document as plain structs, one to one with the file `NAME.gait.yaml`. A program may fill them too:
/// both go through the same `compile`.
#pragma once

#include "gait/diagnostic.hpp"
#include "gait/ease.hpp"

#include <array>
#include <optional>
#include <string>
#include <vector>

namespace gait {

/// A word or an expression of the document, with the place it was read from.
struct Text {
    std::string value;
    Place place;

    Text() = default;
    /// From words, and where they stand.
    Text(std::string text, Place where = {}) : value(std::move(text)), place(where) {}
    /// From a literal.
    Text(const char* text) : value(text) {}
    /// Whether nothing was written.
    [[nodiscard]] bool empty() const { return value.empty(); }
};

/// A number of the document, with its place.
struct Number {
    double value = 0;
    Place place;

    Number() = default;
    /// From a number, and where it stands.
    Number(double number, Place where = {}) : value(number), place(where) {}
};

/// Which part of a clip's way is taken out of its pose and given to the game.
struct TravelDefinition {
    Text joint; ///< whose way it is, such as `hips`
    bool forward = true;
    bool sideways = true;
    bool vertical = false;
    bool turn = true;
};

/// A named instant of a clip.
struct MarkDefinition {
    Text name;
    Number at; ///< seconds from the clip's beginning as it is cut, at its own rate and the right way round
};

/// A named stretch of a clip.
struct SpanDefinition {
    Text name;
    Number from; ///< seconds, counted as a mark's
    Number to;   ///< seconds; the clip's end at the most
};

/// An entry of `clips`. The settings are applied in the order in which they stand here.
struct ClipDefinition {
    Text name;
    Text file;                                    ///< relative to the document; empty for the rig's own file
    Text animation;                               ///< its name in the file; empty for the clip's own name
    Text fit;                                     ///< an entry of `fits`; empty to match joints by their names
    std::optional<std::pair<Number, Number>> cut; ///< seconds of the animation to keep, from and to
    bool reverse = false;
    bool mirror = false;                    ///< left and right change places
    std::optional<TravelDefinition> travel; ///< nothing: the way stays in the pose
    std::optional<Number> seam;             ///< closes a loop whose end is off its start by at most so many degrees
    double rate = 1;                        ///< times as fast
    bool loop = false;
    std::vector<MarkDefinition> marks;
    std::vector<SpanDefinition> spans;
    Place place;
};

/// An entry of `fits`: how the joints of another rig are called and stand.
struct FitDefinition {
    Text name;
    Text strip;                                               ///< what their names begin with that ours do not
    std::vector<std::pair<Text, Text>> joints;                ///< their names, and ours
    std::optional<Number> scale;                              ///< metres a unit of theirs; for formats that do not say
    Text up;                                                  ///< `y` or `z`; for formats that do not say
    std::vector<std::pair<Text, std::array<double, 3>>> turn; ///< our names, and degrees about X, Y and Z by which
                                                              ///< their rest pose is turned to stand as ours does
};

/// What a parameter is, and so what may be set and compared.
enum class ParameterKind { number, flag };

/// An entry of `parameters`.
struct ParameterDefinition {
    Text name;
    ParameterKind kind = ParameterKind::number;
    std::optional<std::pair<double, double>> range; ///< inputs are clamped to it
    std::optional<double> default_value;            ///< flags: 0 or 1; when absent 0, moved into the range
    std::string unit;
    std::string note;
    std::optional<Number> smooth; ///< seconds the smoothed value lags behind a steady ramp; see `compile` when absent
    bool tune = false;            ///< the animator's own number, which no game has to set
};

struct PointDefinition;

/// A blend space on one parameter: motions at points, blended linearly between neighbours and held beyond the ends.
struct BlendDefinition {
    Text parameter;
    bool sync_cycle = false; ///< `sync: cycle`: looping clips share one phase
    std::vector<PointDefinition> points;

    // Defined below, where a point is complete: motions and points hold each other.
    /// \cond
    BlendDefinition();
    BlendDefinition(const BlendDefinition& other);
    BlendDefinition(BlendDefinition&& other) noexcept;
    BlendDefinition& operator=(const BlendDefinition& other);
    BlendDefinition& operator=(BlendDefinition&& other) noexcept;
    ~BlendDefinition();
    /// \endcond
};

/// What a state or a point plays: a clip by name, or a blend space.
struct MotionDefinition {
    Text clip;                            ///< when not empty, the clip's name
    std::optional<BlendDefinition> blend; ///< otherwise this
    std::optional<bool> loop;             ///< overrides the clip's own
    Place place;

    MotionDefinition() = default;
    /// A clip.
    MotionDefinition(Text clip_name) : clip(std::move(clip_name)), place(clip.place) {}
    /// A clip.
    MotionDefinition(const char* clip_name) : clip(clip_name) {}
    /// A blend space.
    MotionDefinition(BlendDefinition blend_space) : blend(std::move(blend_space)) {}
    /// Whether nothing is played.
    [[nodiscard]] bool empty() const { return clip.empty() && !blend; }
};

/// One motion of a blend space, and its place.
struct PointDefinition {
    Number at; ///< on the parameter's axis, in its unit
    MotionDefinition play;
};

/// \cond
inline BlendDefinition::BlendDefinition() = default;
inline BlendDefinition::BlendDefinition(const BlendDefinition& other) = default;
inline BlendDefinition::BlendDefinition(BlendDefinition&& other) noexcept = default;
inline BlendDefinition& BlendDefinition::operator=(const BlendDefinition& other) = default;
inline BlendDefinition& BlendDefinition::operator=(BlendDefinition&& other) noexcept = default;
inline BlendDefinition::~BlendDefinition() = default;
/// \endcond

/// One way out of a state. Without `when` and `after`, or with `at_end`, it leaves as the motion ends, its fade done by
/// then.
struct TransitionDefinition {
    Text to;
    Text when;
    bool at_end = false;         ///< `at: end`; with `when` or `after` all must hold
    std::optional<Number> after; ///< not before the state was active for so many seconds
    std::vector<Text> except;    ///< of `always`: the states it does not leave
    bool again = false;          ///< of `always`: also when its target is active already, which begins afresh
    Number fade{0.2};
    Ease ease = Ease::smooth;
    Place place;
};

/// A thing the body can be doing.
struct StateDefinition {
    Text name;
    MotionDefinition play;
    bool game_moves = false;              ///< `moved_by: game`: the travel of its clips is not used
    std::vector<TransitionDefinition> go; ///< tried in order; the first that holds wins
};

/// States, and the one it starts in.
struct MachineDefinition {
    Text start;
    std::vector<TransitionDefinition> always; ///< leave from whichever state is active, tried before its own
    std::vector<StateDefinition> states;
    Place place;
};

/// A machine that moves the body.
struct LayerDefinition {
    Text name;
    MachineDefinition machine;
    Place place;
};

/// A file that a document is based on.
struct SourceFile {
    std::string name;               ///< as it was found
    std::vector<std::string> lines; ///< for diagnostics
};

/// A whole document.
struct Document {
    std::string file;                ///< as the caller named it, for diagnostics and to find the other files
    std::vector<std::string> source; ///< its lines, for diagnostics
    std::vector<SourceFile> bases;   ///< what it is based on, the nearest first; see `Place::file`
    std::string about;
    Text rig;              ///< the rig's file, relative to the document
    Number tolerance{0.5}; ///< millimetres a sampled joint may be off its keys in model space
    std::vector<ClipDefinition> clips;
    std::vector<FitDefinition> fits;
    std::vector<std::pair<Text, Text>> mirror; ///< joints that change places in a mirrored clip, beside those found
    std::vector<ParameterDefinition> parameters;
    std::vector<LayerDefinition> layers;
};

} // namespace gait
