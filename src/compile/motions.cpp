#include "compile/motions.hpp"

#include "compile/count_playing.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>

namespace gait::detail {
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
        if (found.sync == SyncMode::automatic) { found.sync = motion.sync; }
        found.mirror = found.mirror != motion.mirror;
        found.reverse = found.reverse != motion.reverse;
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

std::uint32_t MotionCompiler::add_part(const MotionPart& part) {
    data_.motions.parts.push_back(part);
    return std::uint32_t(data_.motions.parts.size() - 1);
}

std::uint16_t MotionCompiler::add_leaf(Building& building, const Leaf& leaf, const LeafPlan& plan) const {
    // One clip in several places of a motion is one playhead with their weights added up.
    for (std::size_t l = 0; l < building.leaves.size(); ++l) {
        const Leaf& known = building.leaves[l];
        if (known.clip == leaf.clip && known.loops == leaf.loops && known.leads == leaf.leads &&
            known.channel == leaf.channel && known.additive == leaf.additive && known.pace_group == leaf.pace_group &&
            building.plans[l].sync == plan.sync && same_code(known.pace, leaf.pace)) {
            return std::uint16_t(l);
        }
    }
    building.leaves.push_back(leaf);
    building.plans.push_back(plan);
    return std::uint16_t(building.leaves.size() - 1);
}

std::uint32_t MotionCompiler::compile_part(const ResolvedMotion& resolved, Building& building, Setting setting,
                                           const std::string& path) {
    context_.uses.insert(context_.uses.end(), resolved.uses.begin(), resolved.uses.end());
    const auto finish = [&](std::uint32_t part) {
        context_.uses.resize(context_.uses.size() - resolved.uses.size());
        return part;
    };
    const MotionDefinition* definition = resolved.definition;
    if (resolved.sync != SyncMode::automatic) { setting.sync = resolved.sync; }
    setting.mirror = setting.mirror != resolved.mirror;
    setting.reverse = setting.reverse != resolved.reverse;
    if (definition == nullptr || context_.too_many(data_.motions.parts.size(), "parts of motions")) {
        return finish(add_part({})); // it was reported
    }
    const auto kind = definition->kind();
    if (setting.depth > deepest_motion) {
        context_.error(definition->place, "too-deep", fmt::format("blend spaces nest deeper than {}", deepest_motion),
                       path);
    } else if (!kind) {
        context_.incomplete(definition->place, {}, "this motion plays nothing", path);
    } else {
        switch (*kind) {
        case MotionKind::clip:
            return finish(compile_clip(resolved, building, setting, path));
        case MotionKind::blend:
            return finish(compile_blend(resolved, building, setting, path));
        case MotionKind::mix:
            return finish(compile_mix(resolved, building, setting, path));
        case MotionKind::add:
            return finish(compile_add(resolved, building, setting, path));
        case MotionKind::pick:
        case MotionKind::choose:
            context_.error(definition->place, "wrong-shape",
                           fmt::format("a {0} stands in a state, a pick or a choose, not inside a blend space; put the "
                                       "blend space into the {0}",
                                       info_of(*kind).key),
                           path);
            break;
        case MotionKind::nothing:
            break; // it is reported where it stands
        }
    }
    return finish(add_part({}));
}

std::uint32_t MotionCompiler::compile_inner(const MotionDefinition& play, const ResolvedMotion& around,
                                            Building& building, Setting setting, const std::string& path) {
    ResolvedMotion inner = resolve(play, around.arguments, path);
    inner.pace = context_.product(around.pace, inner.pace);
    ++setting.depth;
    return compile_part(inner, building, setting, path);
}

std::uint32_t MotionCompiler::compile_clip(const ResolvedMotion& resolved, Building& building, const Setting& setting,
                                           const std::string& path) {
    MotionPart part;
    const Text name = substituted(resolved.definition->clip, resolved.arguments);
    const auto found = clip_of_.find(name.value);
    if (found == clip_of_.end()) {
        context_.unknown(name.place, "clip", name.value, known_motions(), path);
        return add_part(part);
    }
    Leaf leaf;
    leaf.loops = resolved.loop.value_or(context_.clip_definitions[found->second]->loop);
    if (!leaf.loops && (setting.sync == SyncMode::cycle || setting.sync == SyncMode::footfall) && setting.leads) {
        context_.error(name.place, "wrong-sync",
                       fmt::format("clip '{}' does not loop, so it cannot share a cycle; add 'loop: yes' to "
                                   "the clip or 'sync: off' to the blend space",
                                   name.value),
                       path);
    }
    leaf.clip = context_.turned_clip(found->second, {setting.mirror, setting.reverse, leaf.loops});
    leaf.leads = setting.leads;
    leaf.channel = setting.channel;
    leaf.pace = resolved.pace;
    leaf.pace_group = setting.pace_group;
    if (setting.additive) {
        leaf.additive = context_.additive(leaf.clip, setting.against == no_index ? leaf.clip : setting.against);
    }
    part.leaf = add_leaf(building, leaf, {name, setting.sync, setting.blended});
    return add_part(part);
}

// ---- mixes and additions ----

std::uint16_t MotionCompiler::add_term(Building& building, const ResolvedMotion& around, const Text& weight,
                                       const Number& fade, const std::string& path) {
    const double fade_seconds = checked_fade(context_, fade, path);
    if (weight.empty()) { return no_index; }
    const CodeRange code = context_.weight(weight, around.arguments, path + ".weight");
    building.terms.push_back({code, fade_seconds});
    return std::uint16_t(building.terms.size() - 1);
}

std::uint8_t MotionCompiler::add_channel(Building& building, const Channel& channel, const ResolvedMotion& around,
                                         const std::string& path) {
    if (building.channels.size() == most_channels) {
        context_.error(around.definition->place, "too-many",
                       fmt::format("a motion may lay at most {} masked ones over one another", most_channels), path);
        return 0;
    }
    building.channels.push_back(channel);
    return std::uint8_t(building.channels.size());
}

std::uint16_t MotionCompiler::mask_named(const Text& written, const Arguments& arguments, const std::string& path) {
    if (written.empty()) { return no_index; }
    const Text name = substituted(written, arguments);
    for (std::size_t m = 0; m < context_.document.masks.size(); ++m) {
        if (context_.document.masks[m].name.value == name.value) { return std::uint16_t(m); }
    }
    std::vector<std::string> known;
    for (const MaskDefinition& mask : context_.document.masks) { known.push_back(mask.name.value); }
    context_.unknown(name.place, "mask", name.value, known, path + ".mask");
    return no_index;
}

std::uint32_t MotionCompiler::compile_mix(const ResolvedMotion& resolved, Building& building, Setting setting,
                                          const std::string& path) {
    const MixDefinition& mix = *resolved.definition->mix;
    if (mix.of.empty()) {
        context_.error(resolved.definition->place, "missing-key", "a mix needs at least one motion", path);
        return add_part({});
    }
    std::vector<MixEntry> entries;
    bool masked = false;
    for (std::size_t e = 0; e < mix.of.size(); ++e) {
        const std::string entry_path = fmt::format("{}.mix[{}]", path, e);
        MixEntry& entry = entries.emplace_back();
        entry.mask = mask_named(mix.of[e].mask, resolved.arguments, entry_path);
        entry.term = add_term(building, resolved, mix.of[e].weight, mix.fade, entry_path);
        masked = masked || entry.mask != no_index;
        if (e == 0 && !mix.of[e].mask.empty()) {
            context_.error(mix.of[e].mask.place, "wrong-shape",
                           "the first of a mix fills what the others leave, so it takes no mask; put it second", path);
        }
    }
    MotionPart part;
    part.kind = PartKind::mix;
    part.first = std::uint32_t(data_.motions.entries.size());
    part.count = std::uint32_t(entries.size());
    data_.motions.entries.insert(data_.motions.entries.end(), entries.begin(), entries.end());
    for (std::size_t e = 0; e < entries.size(); ++e) {
        Setting inner = setting;
        if (masked) {
            Channel channel;
            channel.parent = setting.channel;
            channel.mask = entries[e].mask;
            channel.first_entry = part.first;
            channel.entry_count = part.count;
            channel.rest = e == 0;
            inner.channel = entries[e].channel = add_channel(building, channel, resolved, path);
            inner.leads = setting.leads && entries[e].mask == no_index;
        }
        entries[e].part = compile_inner(mix.of[e].play, resolved, building, inner, fmt::format("{}.mix[{}]", path, e));
        data_.motions.entries[part.first + e] = entries[e];
    }
    return add_part(part);
}

std::uint32_t MotionCompiler::compile_add(const ResolvedMotion& resolved, Building& building, Setting setting,
                                          const std::string& path) {
    const AddDefinition& add = *resolved.definition->add;
    if (setting.additive) {
        context_.error(resolved.definition->place, "wrong-shape",
                       "what is added cannot itself add; add both to the same motion, one after the other", path);
        return add_part({});
    }
    std::array<MixEntry, 2> entries;
    entries[0].part = compile_inner(add.to, resolved, building, setting, path + ".to");
    Setting inner = setting;
    inner.additive = true;
    inner.leads = false;
    inner.pace_group = 0;
    if (!add.against.empty()) {
        const Text name = substituted(add.against, resolved.arguments);
        const auto found = clip_of_.find(name.value);
        if (found == clip_of_.end()) {
            context_.unknown(name.place, "clip", name.value, context_.clip_names, path + ".against");
        } else {
            inner.against = found->second;
        }
    }
    entries[1].mask = mask_named(add.mask, resolved.arguments, path);
    if (entries[1].mask != no_index) {
        Channel channel;
        channel.parent = setting.channel;
        channel.mask = entries[1].mask;
        inner.channel = entries[1].channel = add_channel(building, channel, resolved, path);
    }
    entries[1].term = add_term(building, resolved, add.weight, add.fade, path);
    entries[1].part = compile_inner(add.what, resolved, building, inner, path + ".add");
    MotionPart part;
    part.kind = PartKind::add;
    part.first = std::uint32_t(data_.motions.entries.size());
    part.count = std::uint32_t(entries.size());
    data_.motions.entries.insert(data_.motions.entries.end(), entries.begin(), entries.end());
    return add_part(part);
}

// ---- whole motions ----

std::vector<std::size_t> MotionCompiler::going(const Building& building) const {
    constexpr double least_speed = 0.2; // metres a second; slower is a shuffle on the spot
    std::vector<std::size_t> steps, going, lively;
    for (std::size_t l = 0; l < building.leaves.size(); ++l) {
        const Leaf& leaf = building.leaves[l];
        const LeafPlan& plan = building.plans[l];
        if (plan.sync != SyncMode::automatic || !leaf.loops) { continue; }
        const CompileContext::OwnMotion own = context_.own_motion(leaf.clip);
        const bool goes = std::hypot(own.right, own.ahead) > least_speed;
        if (goes && !context_.footfalls(leaf.clip).empty()) { steps.push_back(l); }
        // What only slides along like a sledge has no time to keep.
        if (!context_.is_lively(leaf.clip)) { continue; }
        if (goes) { going.push_back(l); }
        if (plan.blended && !context_.stands(leaf.clip)) { lively.push_back(l); }
    }
    if (steps.size() == going.size() && !steps.empty()) { return steps; }
    // Of a body whose steps nothing tells, whatever is blended.
    return steps.empty() && lively.size() > 1 ? lively : going;
}

std::vector<std::uint16_t> MotionCompiler::likened(const Building& building, const std::vector<std::size_t>& going) {
    std::vector<std::uint16_t> warps(building.leaves.size(), no_index);
    const auto clip_of = [&](std::size_t leaf) { return building.leaves[leaf].clip; };
    const auto steps = std::find_if(going.begin(), going.end(),
                                    [&](std::size_t leaf) { return context_.warp(clip_of(leaf)) != no_index; });
    if (going.size() < 2) { return {}; }
    if (steps == going.end() && timekeeper_ == no_index) { timekeeper_ = clip_of(going.front()); }
    const std::uint16_t like = steps == going.end() ? timekeeper_ : clip_of(*steps);
    const std::uint16_t lies = steps == going.end() ? context_.even_warp() : context_.warp(like);
    for (const std::size_t leaf : going) {
        warps[leaf] = clip_of(leaf) == like ? lies : context_.warp(clip_of(leaf));
        if (warps[leaf] == no_index) { warps[leaf] = context_.warp_by_likeness(clip_of(leaf), like, lies); }
        if (warps[leaf] == no_index) { return {}; }
    }
    for (const std::size_t leaf : going) {
        const Text& name = building.plans[leaf].name;
        if (clip_of(leaf) == like || context_.warp(clip_of(leaf)) != no_index) { continue; }
        if (!likeness_said_.insert(name.value).second) { continue; }
        context_.sink.add(
            Severity::note, name.place, "kept-by-likeness",
            fmt::format("the steps of '{}' are not told, left and right in turn; the likeness of its poses "
                        "keeps it in time with '{}'; mark its steps with 'left_down' and 'right_down', or "
                        "write 'sync: off'",
                        name.value, context_.clip_definitions[like]->name.value));
    }
    return warps;
}

std::vector<std::uint16_t> MotionCompiler::kept_in_step(const Building& building) {
    std::vector<std::size_t> goes = going(building);
    const auto own_warp = [&](std::size_t leaf) { return context_.warp(building.leaves[leaf].clip); };
    const auto all_alternate = [&] {
        return std::all_of(goes.begin(), goes.end(), [&](std::size_t leaf) { return own_warp(leaf) != no_index; });
    };
    if (!all_alternate()) {
        if (std::vector<std::uint16_t> warps = likened(building, goes); !warps.empty()) { return warps; }
        // What glides or flies among what steps goes by itself.
        const auto silent = std::remove_if(goes.begin(), goes.end(), [&](std::size_t leaf) {
            return context_.footfalls(building.leaves[leaf].clip).empty();
        });
        goes.erase(silent, goes.end());
    }
    std::vector<std::uint16_t> warps(building.leaves.size(), no_index);
    if (all_alternate()) {
        for (const std::size_t leaf : goes) { warps[leaf] = own_warp(leaf); }
    }
    return warps;
}

void MotionCompiler::keep_in_step(Building& building, const std::string& path) {
    if (context_.prepared.empty()) { return; }
    const std::vector<std::uint16_t> kept = kept_in_step(building);
    bool wanted = false, found = false;
    const Text* first = nullptr;
    for (std::size_t l = 0; l < building.leaves.size(); ++l) {
        Leaf& leaf = building.leaves[l];
        const LeafPlan& plan = building.plans[l];
        if (!leaf.loops || plan.sync == SyncMode::off) { continue; }
        if (plan.sync == SyncMode::cycle) {
            leaf.synced = true;
            continue;
        }
        const bool asked = plan.sync == SyncMode::footfall;
        if (asked && first == nullptr) { first = &plan.name; }
        wanted = wanted || asked;
        const std::uint16_t warp = asked ? context_.warp(leaf.clip) : kept[l];
        if (asked && warp == no_index && !context_.footfalls(leaf.clip).empty()) {
            context_.error(plan.name.place, "wrong-sync",
                           fmt::format("in '{}' the feet come down {}, not left and right in turn; mark its steps with "
                                       "'left_down' and 'right_down', or write 'sync: cycle'",
                                       plan.name.value, context_.footfall_words(leaf.clip)),
                           path);
            found = true;
        }
        leaf.synced = warp != no_index;
        found = found || leaf.synced;
        if (!leaf.synced) { continue; }
        leaf.warp = warp;
        leaf.strides = std::uint16_t(data_.motions.warps[warp].strides());
    }
    if (wanted && !found) {
        context_.error(first->place, "wrong-sync",
                       fmt::format("no foot comes down in '{}' nor in what it is blended with; write 'sync: cycle', or "
                                   "mark the steps with 'left_down' and 'right_down'",
                                   first->value),
                       path);
    }
}

void MotionCompiler::as_differences(const Text& against, const std::string& path) {
    base_ = {};
    base_.additive = true;
    if (against.empty()) { return; }
    const auto clip = clip_of_.find(against.value);
    if (clip == clip_of_.end()) {
        context_.unknown(against.place, "clip", against.value, context_.clip_names, path);
    } else {
        base_.against = clip->second;
    }
}

std::uint16_t MotionCompiler::nothing_at_all() {
    if (nothing_ == no_index) {
        Motion motion;
        motion.nothing = true;
        data_.motions.motions.push_back(motion);
        nothing_ = std::uint16_t(data_.motions.motions.size() - 1);
    }
    return nothing_;
}

std::uint16_t MotionCompiler::compile(const ResolvedMotion& resolved, const std::string& path) {
    std::string key =
        fmt::format("{} {} {} {} {} {} {}", fmt::ptr(resolved.definition), resolved.pace.first, resolved.pace.count,
                    resolved.loop ? int(*resolved.loop) : 2, int(resolved.sync), resolved.mirror, resolved.reverse);
    key += fmt::format(" {} {}", base_.additive, base_.against);
    for (const auto& [name, value] : resolved.arguments) { key += " " + name + "=" + value.value; }
    if (const auto known = compiled_.find(key); resolved.definition != nullptr && known != compiled_.end()) {
        return known->second;
    }
    Building building;
    Motion motion;
    motion.root = compile_part(resolved, building, base_, path);
    keep_in_step(building, path);
    MotionTable& table = data_.motions;
    for (const std::uint32_t part : building.keep_pace) { measure_carried(table.parts[part], building); }
    motion.first_leaf = std::uint32_t(table.leaves.size());
    motion.leaf_count = std::uint32_t(building.leaves.size());
    motion.first_term = std::uint32_t(table.terms.size());
    motion.term_count = std::uint32_t(building.terms.size());
    motion.first_channel = std::uint32_t(table.channels.size());
    motion.channel_count = std::uint32_t(building.channels.size());
    for (Leaf& leaf : building.leaves) {
        const double seconds = leaf.clip < context_.prepared.size() ? context_.prepared[leaf.clip].poses.seconds() : 0;
        leaf.rate = seconds > 0 ? 1 / seconds : 0;
        leaf.cadence = leaf.rate * leaf.strides;
        leaf.stride_seconds = seconds / leaf.strides;
        if (leaf.pace_group != 0) {
            const CompileContext::OwnMotion own = context_.own_motion(leaf.clip);
            leaf.speed_right = own.right;
            leaf.speed_ahead = own.ahead;
        }
        motion.synced = motion.synced || leaf.synced;
        motion.paced = motion.paced || !leaf.pace.empty() || leaf.pace_group != 0;
    }
    context_.most_leaves = std::max<std::size_t>(context_.most_leaves, building.leaves.size());
    table.leaves.insert(table.leaves.end(), building.leaves.begin(), building.leaves.end());
    table.terms.insert(table.terms.end(), building.terms.begin(), building.terms.end());
    table.channels.insert(table.channels.end(), building.channels.begin(), building.channels.end());
    motion.most_playing = std::uint32_t(count_playing(table, motion));
    if (motion.most_playing > most_playing && resolved.definition != nullptr) {
        context_.error(resolved.definition->place, "too-many",
                       fmt::format("this motion may play {} clips at once and {} are possible; weigh its points by "
                                   "cells, or blend fewer of them",
                                   motion.most_playing, most_playing),
                       path);
    }
    table.motions.push_back(motion);
    const auto index = std::uint16_t(table.motions.size() - 1);
    compiled_[key] = index;
    return index;
}

} // namespace gait::detail
