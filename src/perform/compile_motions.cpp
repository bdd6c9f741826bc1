#include "perform/compile_motions.hpp"

#include <fmt/format.h>

#include <algorithm>

namespace gait {
namespace {

constexpr std::size_t deepest_names = 16; ///< motions that stand for other motions

bool same_code(CodeRange a, CodeRange b) { return a.count == b.count && (a.count == 0 || a.first == b.first); }

} // namespace

bool bind_arguments(CompileContext& context, const std::vector<Text>& names, const Call& call, Arguments& out,
                    const std::string& path) {
    if (names.size() != call.arguments.size()) {
        std::string wanted = call.name.value;
        for (std::size_t i = 0; i < names.size(); ++i) { wanted += (i == 0 ? "(" : ", ") + names[i].value; }
        if (!names.empty()) { wanted += ")"; }
        context.error(call.name.place, "wrong-arguments",
                      fmt::format("'{}' was given {} argument{}; write {}", call.name.value, call.arguments.size(),
                                  call.arguments.size() == 1 ? "" : "s", wanted),
                      path);
        return false;
    }
    for (std::size_t i = 0; i < names.size(); ++i) { out[names[i].value] = call.arguments[i]; }
    return true;
}

MotionCompiler::MotionCompiler(CompileContext& context) : context_(context), data_(*context.data) {
    for (std::size_t c = 0; c < context.clip_names.size(); ++c) { clip_of_[context.clip_names[c]] = std::uint16_t(c); }
    for (const NamedMotion& named : context.document.motions) {
        const std::string& name = named.name.value;
        if (clip_of_.contains(name)) {
            context.error(named.name.place, "doubled-name",
                          fmt::format("there is a clip '{}' already; call the motion something else", name),
                          "motions." + name);
        } else if (!named_.insert({name, &named}).second) {
            context.error(named.name.place, "doubled-name", fmt::format("two motions are called '{}'", name),
                          "motions." + name);
        }
    }
}

std::vector<std::string> MotionCompiler::known_motions() const {
    std::vector<std::string> known = context_.clip_names;
    for (const auto& [name, definition] : named_) { known.push_back(name); }
    return known;
}

ResolvedMotion MotionCompiler::resolve(const MotionDefinition& definition, const Arguments& arguments,
                                       const std::string& path) {
    ResolvedMotion found;
    found.definition = &definition;
    found.arguments = arguments;
    for (std::size_t steps = 0;; ++steps) {
        const MotionDefinition& motion = *found.definition;
        if (!motion.rate.empty()) {
            found.pace = context_.product(found.pace, context_.expression(motion.rate, ValueType::number,
                                                                          CompileContext::StateReadings::refused,
                                                                          found.arguments, path + ".rate"));
        }
        if (!found.loop) { found.loop = motion.loop; }
        if (motion.clip.empty()) { return found; }
        const Text text = substituted(motion.clip, found.arguments);
        const auto call = split_call(text);
        if (!call) {
            context_.error(
                text.place, "wrong-name",
                fmt::format("'{}' is neither a name nor a name with arguments, such as paces(trot, run)", text.value),
                path);
            found.definition = nullptr;
            return found;
        }
        const auto named = named_.find(call->name.value);
        if (named == named_.end()) {
            if (!call->arguments.empty()) {
                context_.unknown(call->name.place, "motion", call->name.value, known_motions(), path);
                found.definition = nullptr;
            }
            return found; // a clip, or nothing that is known: `compile_part` says so
        }
        if (steps == deepest_names) {
            context_.error(text.place, "circular-motion",
                           fmt::format("'{}' stands for itself, or motions stand for one another more than {} deep",
                                       call->name.value, deepest_names),
                           path);
            found.definition = nullptr;
            return found;
        }
        Arguments inner;
        if (!bind_arguments(context_, named->second->arguments, *call, inner, path)) {
            found.definition = nullptr;
            return found;
        }
        found.uses.push_back({call->name.value, text.place});
        found.definition = &named->second->play;
        found.arguments = std::move(inner);
    }
}

std::uint16_t MotionCompiler::add_leaf(Building& building, const Leaf& leaf) const {
    // One clip in several places of a motion is one playhead with their weights added up.
    for (std::size_t l = 0; l < building.leaves.size(); ++l) {
        const Leaf& known = building.leaves[l];
        if (known.clip == leaf.clip && known.loops == leaf.loops && known.synced == leaf.synced &&
            same_code(known.pace, leaf.pace)) {
            return std::uint16_t(l);
        }
    }
    building.leaves.push_back(leaf);
    return std::uint16_t(building.leaves.size() - 1);
}

std::uint32_t MotionCompiler::compile_part(const ResolvedMotion& resolved, Building& building, Setting setting,
                                           const std::string& path) {
    context_.uses.insert(context_.uses.end(), resolved.uses.begin(), resolved.uses.end());
    const auto finish = [&](std::uint32_t part) {
        context_.uses.resize(context_.uses.size() - resolved.uses.size());
        return part;
    };
    MotionPart part;
    const MotionDefinition* definition = resolved.definition;
    if (definition == nullptr || context_.too_many(data_.motions.parts.size(), "parts of motions")) {
        // It was said.
    } else if (setting.depth > deepest_motion) {
        context_.error(definition->place, "too-deep", fmt::format("blend spaces nest deeper than {}", deepest_motion),
                       path);
    } else if (definition->pick || definition->choose) {
        context_.error(
            definition->place, "wrong-shape",
            fmt::format("a {} stands in a state, a pick or a choose, not inside a blend space; put the blend "
                        "space into the {}",
                        definition->pick ? "pick" : "choose", definition->pick ? "pick" : "choose"),
            path);
    } else if (definition->blend) {
        return finish(compile_blend(resolved, building, setting, path));
    } else if (definition->clip.empty()) {
        if (definition->place.line == 0) { context_.error({}, "missing-key", "this motion plays nothing", path); }
    } else {
        const Text name = substituted(definition->clip, resolved.arguments);
        const auto found = clip_of_.find(name.value);
        if (found == clip_of_.end()) {
            context_.unknown(name.place, "clip", name.value, known_motions(), path);
        } else {
            const bool loops = resolved.loop.value_or(context_.clip_definitions[found->second]->loop);
            if (setting.synced && !loops) {
                context_.error(name.place, "wrong-sync",
                               fmt::format("clip '{}' does not loop, so it cannot share a cycle; add 'loop: yes' to "
                                           "the clip or 'sync: off' to the blend space",
                                           name.value),
                               path);
            }
            part.leaf = add_leaf(building, {found->second, loops, setting.synced && loops, 0, resolved.pace});
        }
    }
    data_.motions.parts.push_back(part);
    return finish(std::uint32_t(data_.motions.parts.size() - 1));
}

std::uint32_t MotionCompiler::compile_blend(const ResolvedMotion& resolved, Building& building, Setting setting,
                                            const std::string& path) {
    const BlendDefinition& blend = *resolved.definition->blend;
    const Text by = substituted(blend.parameter, resolved.arguments);
    MotionPart part;
    part.is_leaf = false;
    const auto& parameters = data_.parameters;
    const auto found =
        std::find_if(parameters.begin(), parameters.end(), [&](const auto& p) { return p.name == by.value; });
    if (found == parameters.end()) {
        if (!by.empty()) { context_.unknown(by.place, "parameter", by.value, names_of(parameters), path); }
    } else if (found->kind != ParameterKind::number) {
        context_.error(by.place, "wrong-type",
                       fmt::format("'{}' is a{} and a blend space runs along a number", found->name,
                                   found->kind == ParameterKind::flag     ? " flag"
                                   : found->kind == ParameterKind::angle  ? "n angle"
                                   : found->kind == ParameterKind::choice ? " choice"
                                                                          : " signal"),
                       path);
    } else {
        part.parameter = std::uint16_t(found - parameters.begin());
        context_.blend_parameters.insert(part.parameter);
    }
    if (blend.points.empty()) {
        context_.error(resolved.definition->place, "missing-key", "a blend space needs at least one point", path);
    }
    std::vector<BlendPoint> points;
    for (std::size_t i = 0; i < blend.points.size(); ++i) {
        const PointDefinition& point = blend.points[i];
        for (const BlendPoint& other : points) {
            if (other.at == float(point.at.value)) {
                context_.error(point.at.place, "doubled-point",
                               fmt::format("two points stand at {}; move one of them", point.at.value), path);
            }
        }
        const std::string point_path = fmt::format("{}.points[{}]", path, i);
        ResolvedMotion inner = resolve(point.play, resolved.arguments, point_path);
        inner.pace = context_.product(resolved.pace, inner.pace);
        points.push_back(
            {float(point.at.value),
             compile_part(inner, building, {setting.synced || blend.sync_cycle, setting.depth + 1}, point_path)});
    }
    std::stable_sort(points.begin(), points.end(),
                     [](const BlendPoint& a, const BlendPoint& b) { return a.at < b.at; });
    part.first_point = std::uint32_t(data_.motions.points.size());
    part.point_count = std::uint32_t(points.size());
    data_.motions.points.insert(data_.motions.points.end(), points.begin(), points.end());
    data_.motions.parts.push_back(part);
    return std::uint32_t(data_.motions.parts.size() - 1);
}

std::uint16_t MotionCompiler::compile(const ResolvedMotion& resolved, const std::string& path) {
    std::string key = fmt::format("{} {} {} {}", fmt::ptr(resolved.definition), resolved.pace.first,
                                  resolved.pace.count, resolved.loop ? int(*resolved.loop) : 2);
    for (const auto& [name, value] : resolved.arguments) { key += " " + name + "=" + value.value; }
    if (const auto known = compiled_.find(key); resolved.definition != nullptr && known != compiled_.end()) {
        return known->second;
    }
    Building building;
    Motion motion;
    motion.root = compile_part(resolved, building, {}, path);
    motion.first_leaf = std::uint32_t(data_.motions.leaves.size());
    motion.leaf_count = std::uint32_t(building.leaves.size());
    for (Leaf& leaf : building.leaves) {
        const double seconds = leaf.clip < context_.prepared.size() ? context_.prepared[leaf.clip].source.seconds : 0;
        leaf.rate = seconds > 0 ? 1 / seconds : 0;
        motion.synced = motion.synced || leaf.synced;
        motion.paced = motion.paced || !leaf.pace.empty();
    }
    context_.most_leaves = std::max<std::size_t>(context_.most_leaves, building.leaves.size());
    auto& leaves = data_.motions.leaves;
    leaves.insert(leaves.end(), building.leaves.begin(), building.leaves.end());
    data_.motions.motions.push_back(motion);
    const auto index = std::uint16_t(data_.motions.motions.size() - 1);
    compiled_[key] = index;
    return index;
}

} // namespace gait
