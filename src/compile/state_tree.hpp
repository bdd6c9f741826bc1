/// The machines of a document and their states while they are compiled, and how they are found by name.
#pragma once

#include "compile/context.hpp"

#include <unordered_map>

namespace gait::detail {

/// While it lives, findings name the uses of what is being compiled.
class UsesOf {
public:
    UsesOf(CompileContext& context, const std::vector<CompileContext::Use>& uses)
        : context_(context), before_(context.uses) {
        context.uses = uses;
    }
    ~UsesOf() { context_.uses = before_; }
    UsesOf(const UsesOf&) = delete;
    UsesOf& operator=(const UsesOf&) = delete;

private:
    CompileContext& context_;
    std::vector<CompileContext::Use> before_;
};

class StateTree {
public:
    /// A machine that is being compiled; what takes arguments is one for each use.
    struct Machine {
        const MachineDefinition* definition = nullptr;
        Arguments arguments;
        std::vector<CompileContext::Use> uses;
        int around = -1; ///< the machine that holds it
        std::string path;
        std::vector<std::string> names;                       ///< of its states, as the document lists them
        std::unordered_map<std::string, std::size_t> by_name; ///< where in `names`, the first of doubled ones
        std::vector<std::uint16_t> nodes;                     ///< beside `names`; nothing for a junction
        std::uint16_t start = 0;
        const StateDefinition* start_junction = nullptr; ///< where it starts by conditions, tried as it is entered
    };
    /// What stands beside a node of the character while it is compiled.
    struct Node {
        const StateDefinition* definition = nullptr; ///< null inside a pick or choose
        int machine = -1;                            ///< that it stands in
        int inner = -1;                              ///< that it holds
        std::string path;
    };
    /// Where a transition leads: a node, or a junction of a machine.
    struct Target {
        std::uint16_t node = no_index;
        const StateDefinition* junction = nullptr;
        int machine = -1;
    };

    explicit StateTree(CompileContext& context) : context_(context), data_(*context.data) {}

    /// Finds `air.take_off`, its first name in the machine itself or in those around it.
    std::optional<Target> find_target(const Text& to, int machine, const std::string& path);
    /// A layer by its name; an error where there is none.
    std::optional<std::size_t> layer_named(const Text& name, const std::string& path);
    /// A state of a layer that is no junction.
    std::optional<std::uint16_t> node_in_layer(std::size_t layer, const Text& name, const std::string& path);
    /// `arms.raised`: a layer, and a state of it.
    std::optional<std::uint16_t> state_of_layer(const Text& name, const std::string& path);
    /// A state with its layer's name before it.
    [[nodiscard]] std::string full_name(std::uint16_t visible) const;
    /// A transition that no state's list holds: it stands for what happens by other means.
    std::uint16_t add_record(TransitionInfo info);

    std::vector<Machine> machines;
    std::vector<Node> nodes; ///< beside the character's states
    std::vector<int> roots;  ///< the machine of each layer

private:
    std::optional<Target> find_in(int machine, const std::string& name) const;
    std::optional<Target> find_inside(Target target, const Text& to, std::size_t start, const std::string& path);

    CompileContext& context_;
    CharacterData& data_;
};

} // namespace gait::detail
