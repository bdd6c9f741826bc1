/// \file
/// A document compiled with its rig and clips: immutable, shared by every performer that plays it, safe to read from
/// any thread.
#pragma once

#include "gait/api.hpp"
#include "gait/diagnostic.hpp"
#include "gait/eases.hpp"
#include "gait/fade_style.hpp"
#include "gait/ground_place.hpp"
#include "gait/handles.hpp"
#include "gait/kept.hpp"
#include "gait/layer_mode.hpp"
#include "gait/math.hpp"
#include "gait/no_index.hpp"
#include "gait/parameter_kind.hpp"
#include "gait/rig.hpp"
#include "gait/shared_character.hpp"

#include <cstddef>
#include <cstdint>
#include <memory>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <vector>

namespace gait {

namespace detail {
struct CharacterData;
}

/// A layer as compiled.
struct LayerInfo {
    KeptText name;
    KeptText mask;   ///< its name; empty for the whole body
    KeptText weight; ///< the expression; empty for always 1
    LayerMode mode = LayerMode::replace;
    LayerSpace space = LayerSpace::local;
    KeptText in_step_with;        ///< the layer with whose steps it keeps; empty for none
    bool one_shots = false;       ///< made for one-shots: no layer of the document
    KeptList<float> mask_weights; ///< a joint each, 0 to 1; empty for the whole body
};

/// A parameter as compiled.
struct ParameterInfo {
    KeptText name;
    ParameterKind kind = ParameterKind::number;
    float low = 0, high = 0; ///< inputs are clamped to this range; infinite when the document gives none
    float default_value = 0;
    float smooth = 0;      ///< seconds the smoothed value lags behind a steady ramp; 0 follows at once
    float at_most = 0;     ///< the greatest change a second; 0 for no bound
    float keep = 0;        ///< of a signal: seconds it is kept
    float wait = 0;        ///< of a signal: seconds from one that was taken to the next
    KeptList<KeptText> of; ///< a choice's values
    bool computed = false; ///< from other parameters: nobody sets it
    KeptText unit;
    KeptText note;
    bool tune = false;
};

/// A state as compiled.
struct StateInfo {
    KeptText name; ///< with the states around it before it: `air.take_off`
    std::uint16_t parent =
        no_index;            ///< the state whose machine holds it, an index into `states()`; `no_index` for none
    std::uint16_t layer = 0; ///< index into `layers()`
    bool machine = false;    ///< it holds other states, one of which is the active one
    bool nothing = false;    ///< it plays nothing: the layers below show
    Place place;             ///< of its name in the document
};

/// A value as compiled.
struct ValueInfo {
    KeptText name;
    ParameterKind kind = ParameterKind::number;
    KeptList<KeptText> of;   ///< a choice's values
    float default_value = 0; ///< where no state says otherwise
    bool at_middle = false;  ///< flags and choices: change in the middle of a fade instead of at its start
    KeptText unit;
    KeptText note;
};

/// A clip as compiled.
struct ClipInfo {
    KeptText name;
    double seconds = 0;
    bool loops = false;
    std::uint32_t intervals = 0; ///< samples a cycle
    std::size_t bytes = 0;       ///< of sampled data
    bool travels = false;        ///< its way is taken out of the pose and given to the game
    GroundPlace way;             ///< where it leads from its start to its end, when it travels
};

/// What makes a transition.
enum class TransitionKind : std::uint8_t {
    written, ///< an entry of `go` or `always` whose conditions hold
    within,  ///< a pick or choose that goes on inside its state
    lead,    ///< a state of another layer that is entered and leads this one
    yield,   ///< what `forbid` says, as the other layer comes to what rules
};

/// A transition as compiled.
struct TransitionInfo {
    TransitionKind kind = TransitionKind::written;
    std::uint16_t from = 0; ///< index into `states()`; `no_index` of a lead, which leaves whichever is active
    std::uint16_t to = 0;
    KeptText when;      ///< the condition as written, and what else must hold, in words
    KeptText condition; ///< the condition alone, as an expression; may be empty
    double fade = 0;    ///< seconds; of one with an expression, its value for the default parameters
    KeptText fade_by;   ///< the expression, if any
    Ease ease = Ease::smooth;
    FadeStyle style = FadeStyle::cross;
    Place place; ///< in the document
};

/// See the file's comment. Made by `compile` (gait/compile.hpp).
class GAIT_API Character {
public:
    /// For `compile` alone, which knows what the data must hold.
    explicit Character(std::unique_ptr<const detail::CharacterData> data);
    ~Character();
    Character(const Character&) = delete;
    Character& operator=(const Character&) = delete;

    /// The rig it plays on.
    [[nodiscard]] const Rig& rig() const;
    /// The size of every pose.
    [[nodiscard]] std::size_t joint_count() const;
    /// How many levels of joints the document's `details` leave out.
    [[nodiscard]] std::size_t detail_levels() const;
    /// How many joints, from the rig's first on, are posed when the first `level` of those are left out; all for 0, and
    /// as many as are left in the end for more than there are. See `Detail::joints`.
    [[nodiscard]] std::size_t joints_at(std::size_t level) const;

    /// The handle of a parameter of that kind; one that refers to nothing when there is none.
    [[nodiscard]] NumberParameter number(std::string_view name) const;
    /// \copydoc number
    [[nodiscard]] FlagParameter flag(std::string_view name) const;
    /// \copydoc number
    [[nodiscard]] ChoiceParameter choice(std::string_view name) const;
    /// \copydoc number
    [[nodiscard]] SignalParameter signal(std::string_view name) const;

    /// The handle of a value of that kind; one that refers to nothing when there is none.
    [[nodiscard]] NumberValue number_value(std::string_view name) const;
    /// \copydoc number_value
    [[nodiscard]] FlagValue flag_value(std::string_view name) const;
    /// \copydoc number_value
    [[nodiscard]] ChoiceValue choice_value(std::string_view name) const;

    /// The handle of a state, by its name or with its layer's before it: `moving` or `body.moving`. Inside a machine:
    /// `air.take_off` or `body.air.take_off`. Without a layer the lowest that has such a state counts.
    [[nodiscard]] StateHandle state(std::string_view name) const;

    /// All parameters, in the document's order.
    [[nodiscard]] std::span<const ParameterInfo> parameters() const;
    /// The index of a layer in `layers()`, as `Performer::state` and its like take it; empty when there is none.
    [[nodiscard]] std::optional<std::size_t> layer(std::string_view name) const;
    /// The one-shot's handle; one that refers to nothing when there is none.
    [[nodiscard]] OneShotHandle one_shot(std::string_view name) const;
    /// All layers, the lowest first; those of one-shots come last.
    [[nodiscard]] std::span<const LayerInfo> layers() const;
    /// A state's name, with its layer's before it where there are several: `arms.lighting.raise`.
    [[nodiscard]] std::string full_name(std::uint16_t state) const;
    /// All values, in the document's order.
    [[nodiscard]] std::span<const ValueInfo> values() const;
    /// The names of all clips' marks.
    [[nodiscard]] std::span<const KeptText> marks() const;
    /// The names of all clips' spans.
    [[nodiscard]] std::span<const KeptText> spans() const;
    /// All states, in the document's order, each before those inside it.
    [[nodiscard]] std::span<const StateInfo> states() const;
    /// All transitions, state by state, in the order in which they are tried.
    [[nodiscard]] std::span<const TransitionInfo> transitions() const;
    /// All clips that some motion plays.
    [[nodiscard]] std::span<const ClipInfo> clips() const;

    /// The names of the numbers that come along with clips, such as a morph target's.
    [[nodiscard]] std::span<const KeptText> number_tracks() const;

    /// The size of one performer's block, bytes.
    [[nodiscard]] std::size_t performer_bytes() const;

    /// What the library keeps; its type is not public.
    [[nodiscard]] const detail::CharacterData& data() const { return *data_; }

private:
    std::unique_ptr<const detail::CharacterData> data_;
};

/// A share in a character, as a performer holds it. Anything that is a `std::shared_ptr<const Character>` becomes one
/// by itself.
[[nodiscard]] GAIT_API SharedCharacter share_of(const std::shared_ptr<const Character>& character);
/// The same the other way round; null for a share in nothing.
[[nodiscard]] GAIT_API std::shared_ptr<const Character> pointer_of(const SharedCharacter& character);

/// The vector instruction sets the kernels can run with here, best first. On x86 none wider than AVX2, with which
/// frames take less time than with AVX-512 (docs/performance.md).
[[nodiscard]] GAIT_API std::vector<std::string> runnable_targets();

/// Pins every frame to one of `runnable_targets()`, so that results are the same bit for bit on machines that share it;
/// an empty name lets the machine choose again. False when the name is unknown. Call it while no frame is being
/// computed.
GAIT_API bool pin_target(const std::string& name);

} // namespace gait
