/// Motions: names followed to what they stand for, and trees of blends made from it.
#pragma once

#include "compile/context.hpp"

#include <optional>
#include <set>

namespace gait::detail {

/// A motion with what the names inside it stand for, after following names to clips, blends, picks and chooses.
struct ResolvedMotion {
    const MotionDefinition* definition = nullptr; ///< null when there is no such motion
    Arguments arguments;
    CodeRange pace; ///< what the ways there multiply its rate by
    std::optional<bool> loop;
    SyncMode sync = SyncMode::automatic;
    bool mirror = false, reverse = false;
    std::vector<CompileContext::Use> uses; ///< the names that were followed
};

class MotionCompiler {
public:
    explicit MotionCompiler(CompileContext& context);

    /// Follows names until a clip, a blend, a pick or a choose.
    ResolvedMotion resolve(const MotionDefinition& definition, const Arguments& arguments, const std::string& path);
    /// From here on motions are compiled as differences to a clip's first frame, to be added to what is below;
    /// `against` is that clip, nothing for each clip's own first frame. Without a call they are whole poses.
    void as_differences(const Text& against, const std::string& path);
    /// From here on they are whole poses again.
    void as_poses() { base_ = {}; }

    /// The motion that plays nothing.
    std::uint16_t nothing_at_all();
    /// The index of the mask of that name.
    std::uint16_t mask_named(const Text& name, const Arguments& arguments, const std::string& path);
    /// What `resolve` found, with no pick or choose in it, as a motion of the table; used twice it is compiled once.
    std::uint16_t compile(const ResolvedMotion& resolved, const std::string& path);

private:
    /// What stands beside a leaf while its motion is compiled.
    struct LeafPlan {
        Text name;
        SyncMode sync = SyncMode::automatic;
        bool blended = false; ///< at a point of a blend space, as a whole pose
    };
    struct Building {
        std::vector<Leaf> leaves;
        std::vector<LeafPlan> plans; ///< a leaf each
        std::vector<Term> terms;
        std::vector<Channel> channels;
        std::vector<std::uint32_t> keep_pace; ///< blend spaces whose clips' speeds are to be measured
    };
    /// What a part takes over from those around it.
    struct Setting {
        SyncMode sync = SyncMode::automatic;
        bool mirror = false, reverse = false;
        bool leads = true;
        bool additive = false;
        bool blended = false;
        std::uint16_t against = no_index; ///< the clip that additives are measured against; nothing: their own start
        std::uint16_t pace_group = 0;
        std::uint8_t channel = 0;
        int depth = 0;
    };
    /// A point of a blend space on its way to the table.
    struct Site {
        PlanePoint place, to; ///< in the plane's scaled units; on a line in `x`
        bool holds = false;   ///< from `place` to `to`
        const PointDefinition* definition = nullptr;
        std::uint32_t part = 0;
        Setting setting;
    };
    /// Sites as a plane has them.
    struct PlaneSites {
        KeptList<PlanePoint> places;
        KeptList<Stretch> stretches;                      ///< a place each
        std::vector<std::vector<std::uint32_t>> parts;    ///< a place each: what plays there
        std::vector<std::array<std::uint16_t, 2>> wanted; ///< places that a stretch joins: they want to be neighbours

        /// Adds what plays at a place; the place's index.
        std::uint16_t add(PlanePoint place, PlanePoint to, std::uint32_t part);
    };
    /// What a blend space's axes are.
    struct Axes {
        std::uint16_t first = 0, second = 0;
        bool two = false, velocities = false;
        bool angle_first = false; ///< of velocities
        bool wraps_x = false, wraps_y = false;
        double scale_x = 1, scale_y = 1;
        bool known = true;
    };
    /// Where a clip's own speed and heading would put it.
    struct Own {
        double speed = 0, direction = 0;
    };

    std::uint32_t compile_part(const ResolvedMotion& resolved, Building& building, Setting setting,
                               const std::string& path);
    std::uint32_t compile_clip(const ResolvedMotion& resolved, Building& building, const Setting& setting,
                               const std::string& path);
    std::uint32_t compile_mix(const ResolvedMotion& resolved, Building& building, Setting setting,
                              const std::string& path);
    std::uint32_t compile_add(const ResolvedMotion& resolved, Building& building, Setting setting,
                              const std::string& path);
    std::uint32_t compile_inner(const MotionDefinition& play, const ResolvedMotion& around, Building& building,
                                Setting setting, const std::string& path);
    std::uint16_t add_leaf(Building& building, const Leaf& leaf, const LeafPlan& plan) const;
    std::uint16_t add_term(Building& building, const ResolvedMotion& around, const Text& weight, const Number& fade,
                           const std::string& path);
    std::uint8_t add_channel(Building& building, const Channel& channel, const ResolvedMotion& around,
                             const std::string& path);
    std::uint32_t add_part(const MotionPart& part);
    void keep_in_step(Building& building, const std::string& path);
    /// How the clips that keep step by themselves lie on the phase, a leaf each: all that go somewhere, or none.
    [[nodiscard]] std::vector<std::uint16_t> kept_in_step(const Building& building);
    [[nodiscard]] std::vector<std::size_t> going(const Building& building) const;
    /// The warps of `going` leaves, a leaf each, where some of them do not put left and right down in turn; nothing
    /// when no like ones are found for all of them.
    [[nodiscard]] std::vector<std::uint16_t> likened(const Building& building, const std::vector<std::size_t>& going);

    // Blend spaces: blends.cpp.
    std::uint32_t compile_blend(const ResolvedMotion& resolved, Building& building, Setting setting,
                                const std::string& path);
    Axes axes_of(const BlendDefinition& blend, const Arguments& arguments, const std::string& path);
    std::uint16_t blend_parameter(const Text& name, const Arguments& arguments, bool& known, const std::string& path);
    std::vector<Site> sites_of(const ResolvedMotion& resolved, const Axes& axes, const Setting& setting,
                               const std::string& path);
    std::optional<Own> own_place(const ResolvedMotion& play, const std::string& path);
    PlanePoint placed(const std::vector<Number>& at, const Axes& axes, const std::string& path);
    void fill(const BlendDefinition& blend, const Axes& axes, std::vector<Site>& sites, const std::string& path);
    std::uint32_t finish_line(const Axes& axes, const std::vector<Site>& sites);
    /// The sites as they lie in the plane, those at one place being one, with the copies that stretches and angles
    /// need.
    [[nodiscard]] static PlaneSites lay_out(const Axes& axes, const std::vector<Site>& sites, int pieces);
    /// The cells that are written; nothing where they do not fit, which is reported.
    std::optional<KeptList<Cell>> cells_by_hand(const BlendDefinition& blend, std::size_t written,
                                                const KeptList<PlanePoint>& places, const std::string& path);
    std::uint32_t finish_plane(const BlendDefinition& blend, const Axes& axes, const std::vector<Site>& sites,
                               const std::string& path);
    std::uint32_t shared_part(const std::vector<std::uint32_t>& parts);
    std::uint16_t cursor_of(const Axes& axes);
    void measure_carried(MotionPart& part, const Building& building);

    [[nodiscard]] std::vector<std::string> known_motions() const;

    CompileContext& context_;
    CharacterData& data_;
    Setting base_; ///< in which motions stand that stand in no other
    std::uint16_t nothing_ = no_index;
    std::uint16_t timekeeper_ =
        no_index; ///< the clip that others without steps are likened to, where none beside them steps
    std::set<std::string> likeness_said_;
    std::map<std::string, std::uint16_t> clip_of_;
    std::map<std::string, const NamedMotion*> named_;
    std::map<std::string, std::uint16_t> compiled_; ///< motions by what they were made from
};

/// Adds `call`'s arguments, under the names that a declaration gives them. False, and reported, when their number
/// differs.
bool bind_arguments(CompileContext& context, const std::vector<Text>& names, const Call& call, Arguments& out,
                    const std::string& path);

} // namespace gait::detail
