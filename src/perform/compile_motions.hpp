/// Motions: names followed to what they stand for, and trees of blends made from it.
#pragma once

#include "perform/compile_context.hpp"

#include <optional>

namespace gait {

/// A motion with what the names inside it stand for, after following names to clips, blends, picks and chooses.
struct ResolvedMotion {
    const MotionDefinition* definition = nullptr; ///< null when there is no such motion
    Arguments arguments;
    CodeRange pace; ///< what the ways there multiply its rate by
    std::optional<bool> loop;
    std::vector<CompileContext::Use> uses; ///< the names that were followed
};

class MotionCompiler {
public:
    explicit MotionCompiler(CompileContext& context);

    /// Follows names until a clip, a blend, a pick or a choose.
    ResolvedMotion resolve(const MotionDefinition& definition, const Arguments& arguments, const std::string& path);
    /// What `resolve` found, with no pick or choose in it, as a motion of the table; used twice it is compiled once.
    std::uint16_t compile(const ResolvedMotion& resolved, const std::string& path);

private:
    struct Building {
        std::vector<Leaf> leaves;
    };
    struct Setting {
        bool synced = false;
        int depth = 0;
    };
    std::uint32_t compile_part(const ResolvedMotion& resolved, Building& building, Setting setting,
                               const std::string& path);
    std::uint32_t compile_blend(const ResolvedMotion& resolved, Building& building, Setting setting,
                                const std::string& path);
    std::uint16_t add_leaf(Building& building, const Leaf& leaf) const;
    void bind(const NamedMotion& named, const Call& call, Arguments& out, const std::string& path);
    [[nodiscard]] std::vector<std::string> known_motions() const;

    CompileContext& context_;
    CharacterData& data_;
    std::map<std::string, std::uint16_t> clip_of_;
    std::map<std::string, const NamedMotion*> named_;
    std::map<std::string, std::uint16_t> compiled_; ///< motions by what they were made from
};

/// Adds `call`'s arguments, under the names that a declaration gives them. False, and said, when their number differs.
bool bind_arguments(CompileContext& context, const std::vector<Text>& names, const Call& call, Arguments& out,
                    const std::string& path);

} // namespace gait
