/// What all parts of the compile step share: the document, the character that is being made, the findings, and where
/// something that takes arguments is being used.
#pragma once

#include "character/character_data.hpp"
#include "clip/joint_cloud.hpp"
#include "compile/call.hpp"
#include "compile/expression_parser.hpp"
#include "compile/prepared_clip.hpp"
#include "diagnostics/sink.hpp"
#include "gait/compile.hpp"
#include "gait/measure.hpp"

#include <array>
#include <deque>
#include <map>
#include <memory>
#include <optional>
#include <set>
#include <string>
#include <string_view>
#include <unordered_map>
#include <utility>
#include <vector>

namespace gait::detail {

/// What a frame computes for expressions without the document's naming it.
struct HiddenParameter {
    ParameterSource source = ParameterSource::rises;
    std::vector<Instruction> code = {}; ///< of the flag that is watched
    std::uint8_t layer = 0;             ///< that is looked at
    Text state = {};                    ///< of it
    std::uint16_t node = 0;             ///< that this is, or the reading
};

/// How a clip is played other than as it is declared.
struct ClipTurn {
    bool mirror = false, reverse = false;
    bool loops = false; ///< also where the clip itself does not
};

struct CompileContext {
    CompileContext(const Document& the_document, const Assets& the_assets)
        : document(the_document), assets(the_assets), sink(the_document.files()),
          data(std::make_unique<CharacterData>()) {}

    const Document& document;
    const Assets& assets;
    DiagnosticSink sink;
    std::unique_ptr<CharacterData> data;
    ExpressionScope scope;
    std::vector<HiddenParameter> hidden; ///< their slots come after the parameters'
    std::size_t first_one_shots = 0;     ///< layers from here on are made for one-shots
    std::set<std::uint16_t> blend_parameters;
    std::vector<std::string> clip_names;
    std::vector<const ClipDefinition*> clip_definitions;
    std::vector<PreparedClip> prepared; ///< a clip each, when there is a rig
    std::vector<std::pair<int, int>> mirrored_joints;
    std::size_t most_leaves = 0;
    bool wants_footfalls = false; ///< some transition enters at a footfall
    std::size_t resumes = 0;      ///< machines that remember where they were left

    /// Where something that takes arguments is being used: `'paces', used`, and the place of the use.
    struct Use {
        std::string name;
        Place place;
    };
    std::vector<Use> uses; ///< the innermost last

    /// Like `sink.error`, but the same finding at the same place is reported once. Inside something written once and
    /// used elsewhere, the first use is reported as well.
    void error(Place place, std::string code, std::string message, std::string path = {});
    /// Like `sink.unknown`, in the same way.
    void unknown(Place place, const std::string& kind, const std::string& name, const std::vector<std::string>& known,
                 std::string path = {});

    /// A number of the document, where it lies between two bounds; else `otherwise`, and an error that says `bounds`
    /// and what was found. NaN lies nowhere.
    double within(const Number& number, double least, double most, double otherwise, const std::string& bounds,
                  const std::string& path);

    /// Whether so many of something are too many; reported once. What is written once and used often grows without
    /// bound.
    bool too_many(std::size_t count, const char* what);

    /// What an expression may not do.
    enum class StateReadings { allowed, refused };

    /// Compiles `text`; an error leaves an empty range. Equal programs are kept once.
    CodeRange expression(const Text& text, ValueType wanted, StateReadings readings, const Arguments& arguments,
                         const std::string& path);
    /// How much something counts: a number, or a flag that stands for 1 and 0.
    CodeRange weight(const Text& text, const Arguments& arguments, const std::string& path);
    /// Both must hold; an empty one does.
    CodeRange both(CodeRange first, CodeRange second);
    /// One times the other; an empty one is 1.
    CodeRange product(CodeRange first, CodeRange second);
    CodeRange emit(const std::vector<Instruction>& code);
    /// A slot for something that is computed.
    std::uint16_t hide(HiddenParameter hidden);

    /// Something that is not all there. The reader has said so where it has a `place`, and then nothing comes of the
    /// whole; of what a program filled it is said here, at `other` or by its path.
    void incomplete(Place place, Place other, std::string message, const std::string& path);
    std::optional<Place> not_read; ///< the first of what the reader has said so of

    // What the clips themselves tell: clips.cpp. All of it needs the rig.

    /// The clip of that name with `settings` applied; one that is missing rests for no time.
    PreparedClip prepare(const std::string& clip, const ClipDefinition& settings, DiagnosticSink& told);

    /// Metres a second that a clip carries the body, by its own travel or by its feet.
    struct OwnMotion {
        double right = 0, ahead = 0;
    };
    [[nodiscard]] OwnMotion own_motion(std::uint16_t clip);
    /// The same of two looping clips blended half and half, in step where they keep it; nothing when their feet do not
    /// tell.
    [[nodiscard]] std::optional<OwnMotion> half_and_half(const Leaf& a, const Leaf& b);
    /// Where its feet come down: where marks say so, else measured.
    [[nodiscard]] const KeptList<Footfall>& footfalls(std::uint16_t clip);
    /// Where its feet are down, measured.
    [[nodiscard]] KeptList<FootDown> downs(std::uint16_t clip);
    /// In words, in order of time: `left, left, right`.
    [[nodiscard]] std::string footfall_words(std::uint16_t clip);
    /// How it lies on a shared phase: index into the table's warps; nothing when left and right do not alternate.
    [[nodiscard]] std::uint16_t warp(std::uint16_t clip);
    /// How it lies on that phase by the likeness of its poses to those of `like`, which lies there by `warp`; nothing
    /// when strides of the one last half as long again as those of the other.
    [[nodiscard]] std::uint16_t warp_by_likeness(std::uint16_t clip, std::uint16_t like, std::uint16_t warp);
    /// The same for a clip that others are to be likened to, and that has no steps of its own: a stride is its cycle.
    [[nodiscard]] std::uint16_t even_warp();
    /// Whether its poses differ at all as it goes round.
    [[nodiscard]] bool is_lively(std::uint16_t clip);
    /// Whether its feet stay on the ground all along.
    [[nodiscard]] bool stands(std::uint16_t clip);
    /// The clip as it is played there, made when it is asked for first.
    std::uint16_t turned_clip(std::uint16_t clip, const ClipTurn& turn);
    /// The difference of a clip to the first frame of another: index into the character's additives.
    std::uint16_t additive(std::uint16_t clip, std::uint16_t against);
    /// Every name of a mark or span of what is prepared gets its index.
    void name_events_of(const PreparedClip& clip);
    using EventIndices = std::unordered_map<std::string, std::uint16_t>;
    EventIndices mark_indices, span_indices;             ///< into the character's names
    std::vector<std::array<std::uint16_t, 2>> additives; ///< clip, and what it is measured against

private:
    const ClipMeasure& measure(std::uint16_t clip);
    /// Where marks say that its feet come down; nothing unless both are marked.
    [[nodiscard]] KeptList<Footfall> marked_footfalls(std::uint16_t clip) const;
    std::map<std::uint16_t, ClipMeasure> measures_;
    std::map<std::uint16_t, KeptList<Footfall>> footfalls_;
    std::map<std::uint16_t, std::uint16_t> warps_;
    std::map<std::array<std::uint16_t, 3>, std::uint16_t>
        warps_by_likeness_; ///< by clip, what it is like, and how that lies
    std::uint16_t even_warp_ = no_index;
    std::vector<JointCloud> clouds(std::uint16_t clip, const PhaseWarp& warp, double strides, int count) const;
    std::map<std::array<std::uint16_t, 4>, std::optional<OwnMotion>> halves_; ///< by both clips and their warps
    std::map<std::array<std::uint16_t, 4>, std::uint16_t> turned_; ///< by clip, mirrored, reversed and looped
    std::deque<ClipDefinition> turned_definitions_;
    CodeRange joined(CodeRange first, CodeRange second, Operation operation);
    std::map<std::string, CodeRange> programs_; ///< by their instructions
    std::set<std::string> reported_;
};

/// A fade's seconds; an error where they are out of range.
[[nodiscard]] double checked_fade(CompileContext& context, const Number& fade, const std::string& path);

/// Where something expected a name and `known` are those there are.
[[nodiscard]] std::vector<std::string> names_of(std::span<const ParameterInfo> parameters);

bool is_identifier(const std::string& name);
/// Words that an expression keeps for itself.
[[nodiscard]] const std::set<std::string>& reserved_words();

} // namespace gait::detail
