/// The tree of states: machines inside states, and the picks and chooses inside them.
#pragma once

#include "compile/motions.hpp"
#include "compile/state_tree.hpp"

namespace gait::detail {

/// Adds the states of one layer after another.
class StateCompiler {
public:
    StateCompiler(CompileContext& context, MotionCompiler& motions, StateTree& tree)
        : context_(context), motions_(motions), tree_(tree), data_(*context.data) {}

    /// Adds the states of the machine of the character's last layer; returns the machine's index in the tree.
    int add_layer(const MachineDefinition& machine, const std::string& path);

private:
    struct Around {
        std::uint16_t node = no_index;
        int machine = -1;
    };

    int add_machine(const MachineDefinition& definition, const Arguments& arguments, Around around,
                    const std::string& path, const std::string& prefix);
    void find_start(StateTree::Machine& machine);
    /// Where a machine stands that nothing has led into: the junction's first branch that holds with all parameters as
    /// they are before anybody sets one.
    [[nodiscard]] std::uint16_t branch_by_default(const StateTree::Machine& machine, const StateDefinition& junction);
    std::uint16_t add_node(std::uint16_t parent, StateTree::Node node);
    std::uint16_t add_state(const StateDefinition& definition, int machine, std::uint16_t parent,
                            const std::string& machine_path, const std::string& prefix);
    /// Of `inputs: live`: something must hang on inputs.
    void check_live_inputs(const StateDefinition& definition, std::uint16_t index, const std::string& path);
    void add_inner_machine(const StateDefinition& definition, std::uint16_t index, const std::string& path,
                           const std::string& prefix);
    /// Follows `NAME(one, other)`; `arguments` become those of the machine.
    const MachineDefinition* named_machine(const Text& text, Arguments& arguments, const std::string& path);
    /// One number for all states of a layer that play the same entry of `motions`; nothing where it is none, or is
    /// played in a way of its own.
    std::uint16_t named_alike(const MotionDefinition& play, const ResolvedMotion& resolved, const Arguments& arguments);
    void add_motion(std::uint16_t index, const ResolvedMotion& resolved, const std::string& path);
    /// A node inside a pick or choose.
    std::uint16_t add_entry(std::uint16_t around, const ResolvedMotion& resolved, const MotionDefinition& play,
                            const std::string& path);
    /// The one for changes inside a state.
    std::uint16_t add_record(std::uint16_t index, const char* what, double fade);
    void add_pick(std::uint16_t index, const ResolvedMotion& resolved, const std::string& path);
    double checked_share(PickOrder order, const PickEntry& entry, const std::string& path);
    /// Rounds can only be counted of what goes round.
    void check_rounds(const PickEntry& entry, const CompiledState& node, const std::string& path);
    int checked_loops(const Number& loops, const std::string& path);
    [[nodiscard]] std::vector<CompileContext::Use> with(const std::vector<CompileContext::Use>& more) const;
    void add_choose(std::uint16_t index, const ResolvedMotion& resolved, const std::string& path);
    void choose_on_entry(std::uint16_t index, const ResolvedMotion& resolved, CompiledChoose& compiled,
                         const std::string& path);
    void choose_by_value(std::uint16_t index, const ResolvedMotion& resolved, CompiledChoose& compiled,
                         const std::string& path);

    CompileContext& context_;
    MotionCompiler& motions_;
    StateTree& tree_;
    CharacterData& data_;
    std::map<std::string, std::uint16_t> alike_; ///< by layer and name
    std::size_t layer_ = 0;                      ///< that is being compiled
};

} // namespace gait::detail
