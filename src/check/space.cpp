#include "gait/space.hpp"

#include "gait/measure.hpp"
#include "perform/character_data.hpp"

#include <algorithm>
#include <cmath>

namespace gait {
namespace {

/// The first blend space of a motion, from its root inward: what is added to, and what a mix begins with.
const MotionPart* find_space(const MotionTable& table, std::uint32_t index) {
    const MotionPart& part = table.parts[index];
    switch (part.kind) {
    case PartKind::line:
    case PartKind::plane:
        return &part;
    case PartKind::mix:
    case PartKind::add:
        for (std::uint32_t e = 0; e < part.count; ++e) {
            if (const MotionPart* found = find_space(table, table.entries[part.first + e].part)) { return found; }
        }
        return nullptr;
    case PartKind::leaf:
    case PartKind::shared:
        break;
    }
    return nullptr;
}

struct FoundSpace {
    const CharacterData* data = nullptr;
    const Motion* motion = nullptr;
    const MotionPart* part = nullptr;
};

std::optional<FoundSpace> space_of(const Character& character, StateHandle state) {
    const CharacterData& data = character.data();
    for (const CompiledState& node : data.states) {
        if (!state || node.visible != state.index || node.kind != NodeKind::motion) { continue; }
        const Motion& motion = data.motions.motions[node.motion];
        if (motion.nothing) { continue; }
        if (const MotionPart* part = find_space(data.motions, motion.root)) { return FoundSpace{&data, &motion, part}; }
    }
    return std::nullopt;
}

void collect_clips(const FoundSpace& space, std::uint32_t index, std::vector<std::string>& names) {
    const MotionTable& table = space.data->motions;
    const MotionPart& part = table.parts[index];
    switch (part.kind) {
    case PartKind::leaf: {
        const Leaf& leaf = table.leaves_of(*space.motion)[part.leaf];
        const std::string& name = space.data->clips[leaf.clip].name;
        if (std::find(names.begin(), names.end(), name) == names.end()) { names.push_back(name); }
        return;
    }
    case PartKind::line:
    case PartKind::plane:
    case PartKind::shared:
        for (std::uint32_t p = 0; p < part.count; ++p) {
            collect_clips(space, table.points[part.first + p].part, names);
        }
        return;
    case PartKind::mix:
    case PartKind::add:
        for (std::uint32_t e = 0; e < part.count; ++e) {
            collect_clips(space, table.entries[part.first + e].part, names);
        }
        return;
    }
}

SpacePlace heading_and_speed(const FoundSpace& space, PlanePoint place) {
    const double speed = std::hypot(place.x, place.y);
    const double heading = speed > 0 ? std::atan2(place.x, place.y) * degrees_per_radian : 0;
    const bool angle_first = space.data->parameters[space.part->parameter].kind == ParameterKind::angle;
    return angle_first ? SpacePlace{heading, speed} : SpacePlace{speed, heading};
}

/// From the map to the plane's own units.
PlanePoint in_plane(const FoundSpace& space, SpacePlace drawn) {
    return {drawn[0] * space.part->scale_x, drawn[1] * space.part->scale_y};
}

} // namespace

std::optional<BlendSpaceView> blend_space(const Character& character, StateHandle state) {
    const auto found = space_of(character, state);
    if (!found) { return std::nullopt; }
    const CharacterData& data = *found->data;
    const MotionPart& part = *found->part;
    BlendSpaceView view;
    const auto add_parameter = [&](std::uint16_t slot) {
        view.parameters.push_back(data.parameters[slot].name);
        view.units.push_back(data.parameters[slot].kind == ParameterKind::angle ? "deg" : data.parameters[slot].unit);
    };
    add_parameter(part.parameter);
    if (part.kind == PartKind::line) {
        for (std::uint32_t p = 0; p < part.count; ++p) {
            const BlendPoint& point = data.motions.points[part.first + p];
            SpacePoint& added = view.points.emplace_back();
            added.at = added.drawn = {point.at, 0};
            collect_clips(*found, point.part, added.clips);
        }
    } else {
        add_parameter(part.second);
        const BlendPlane& plane = data.motions.planes[part.plane];
        view.velocities = part.cursor != no_index;
        view.bands = plane.weighing() == Weighing::bands;
        for (std::size_t s = 0; s < plane.sites().size(); ++s) {
            const PlanePoint place = plane.sites()[s];
            SpacePoint& added = view.points.emplace_back();
            added.drawn = {place.x / part.scale_x, place.y / part.scale_y};
            added.at = view.velocities ? heading_and_speed(*found, place) : added.drawn;
            collect_clips(*found, data.motions.points[part.first + s].part, added.clips);
        }
        for (const Cell& cell : plane.cells()) { view.cells.emplace_back(cell.begin(), cell.end()); }
        for (const auto& side : plane.rim()) { view.rim.push_back({side[0], side[1]}); }
    }
    for (const SpacePoint& point : view.points) {
        for (std::size_t axis = 0; axis < 2; ++axis) {
            const bool first = &point == &view.points.front();
            view.low[axis] = first ? point.drawn[axis] : std::min(view.low[axis], point.drawn[axis]);
            view.high[axis] = first ? point.drawn[axis] : std::max(view.high[axis], point.drawn[axis]);
        }
    }
    return view;
}

std::vector<double> shares_at(const Character& character, StateHandle state, SpacePlace drawn) {
    const auto found = space_of(character, state);
    if (!found) { return {}; }
    const MotionPart& part = *found->part;
    std::vector<double> shares(part.count, 0);
    const MotionTable& table = found->data->motions;
    if (part.kind == PartKind::plane) {
        SiteShares sites;
        table.planes[part.plane].weigh(in_plane(*found, drawn), sites);
        for (std::size_t i = 0; i < sites.count; ++i) { shares[sites.site[i]] += sites.share[i]; }
        return shares;
    }
    for (const auto& [index, share] : shares_on_line(table, part, drawn[0])) { shares[index] += share; }
    return shares;
}

bool inside_hull(const Character& character, StateHandle state, SpacePlace drawn) {
    const auto found = space_of(character, state);
    if (!found) { return false; }
    const MotionTable& table = found->data->motions;
    if (found->part->kind == PartKind::plane) {
        return table.planes[found->part->plane].contains(in_plane(*found, drawn));
    }
    const BlendPoint* points = table.points.data() + found->part->first;
    return found->part->wraps || (drawn[0] >= points[0].at && drawn[0] <= points[found->part->count - 1].at);
}

std::optional<BlendCursor> blend_cursor(const Performer& performer) {
    const CharacterData& data = performer.character().data();
    // The block is only looked at.
    const PerformerBlock block(const_cast<std::byte*>(performer.bytes().data()), data.layout);
    const LayerHeader& layer = block.layer();
    const CompiledState& state = data.states[layer.instances[layer.instance_count - 1U].state];
    const MotionPart* part = find_space(data.motions, data.motions.motions[state.motion].root);
    if (part == nullptr) { return std::nullopt; }
    BlendCursor cursor;
    cursor.state = state.visible;
    if (part->kind == PartKind::line) {
        cursor.drawn = {double(block.smoothed()[part->parameter]), 0};
        return cursor;
    }
    const PlanePoint place = place_in_plane(*part, {block.smoothed(), block.cursors(), nullptr});
    cursor.drawn = {place.x / part->scale_x, place.y / part->scale_y};
    cursor.velocity = part->cursor != no_index;
    if (!cursor.velocity) { return cursor; }
    cursor.speed = std::hypot(place.x, place.y);
    cursor.heading = cursor.speed > 0 ? std::atan2(place.x, place.y) * degrees_per_radian : 0;
    return cursor;
}

// ---- steady motion --------------------------------------------------------------------------------------------------

namespace {

/// Where the heaviest looping clip is, in cycles counted on.
struct Rounds {
    std::uint16_t clip = 0;
    double cycles = 0;
};

std::optional<Rounds> heaviest(const Performer& performer) {
    std::vector<ClipView> clips(performer.character().clips().size() * 2 + 8);
    const std::size_t count = performer.instance_clips(performer.instance_count() - 1, clips);
    const ClipView* best = nullptr;
    for (std::size_t c = 0; c < count; ++c) {
        if (best == nullptr || clips[c].weight > best->weight) { best = &clips[c]; }
    }
    if (best == nullptr) { return std::nullopt; }
    return Rounds{best->clip, double(std::int32_t(best->loops)) + best->phase};
}

/// Seconds of one cycle; 0 when nothing comes round.
double cycle_of(Performer performer) {
    constexpr double step = 1.0 / 2000, longest = 20; // seconds
    const auto start = heaviest(performer);
    if (!start) { return 0; }
    double before = start->cycles;
    for (int i = 1; i * step < longest; ++i) {
        performer.advance(step);
        const auto now = heaviest(performer);
        if (!now || now->clip != start->clip) { return 0; }
        if (std::fabs(now->cycles - start->cycles) >= 1) {
            const double over = std::fabs(now->cycles - start->cycles) - 1;
            return i * step - step * over / std::max(1e-12, std::fabs(now->cycles - before));
        }
        before = now->cycles;
    }
    return 0;
}

} // namespace

SteadyMotion measure_steady(const Character& character, const std::vector<std::pair<std::string, double>>& values,
                            AskedMotion asked) {
    SteadyMotion steady;
    // The character is somebody else's, and outlives this.
    Performer performer(std::shared_ptr<const Character>(std::shared_ptr<const Character>(), &character));
    for (const auto& [name, value] : values) { performer.set(name, value); }
    constexpr double settled = 10; // seconds, by which any smoothing is over
    for (int step = 0; step < 100; ++step) { performer.advance(settled / 100); }
    const double cycle = cycle_of(performer);
    if (!(cycle > 0)) { return steady; }
    constexpr double rate = 240; // samples a second
    const int samples = std::max(8, int(std::lround(cycle * rate)));
    ClipSource in_place;
    in_place.seconds = cycle;
    const Rig& rig = character.rig();
    in_place.tracks.resize(rig.joints.size());
    for (const Joint& joint : rig.joints) { in_place.joints.push_back(joint.name); }
    ClipSource moved = in_place;
    std::vector<Transform> pose(rig.joints.size());
    GroundPlace travelled;
    const double radians = asked.direction / degrees_per_radian;
    for (int i = 0; i <= samples; ++i) {
        const double time = cycle * i / samples;
        if (i > 0) {
            performer.advance(cycle / samples);
            travelled.add(performer.travel());
        }
        performer.pose(pose);
        const Vec3 way{float(-std::sin(radians) * asked.speed * time), 0,
                       float(std::cos(radians) * asked.speed * time)};
        for (std::size_t j = 0; j < pose.size(); ++j) {
            for (ClipSource* source : {&in_place, &moved}) {
                JointTracks& tracks = source->tracks[j];
                const bool carried = source == &moved && rig.joints[j].parent < 0;
                tracks.rotation.times.push_back(time);
                tracks.rotation.values.push_back(pose[j].rotation);
                tracks.translation.times.push_back(time);
                tracks.translation.values.push_back(pose[j].translation + (carried ? way : Vec3{}));
            }
        }
    }
    for (ClipSource* source : {&in_place, &moved}) {
        for (JointTracks& tracks : source->tracks) {
            auto& turns = tracks.rotation.values;
            for (std::size_t i = 1; i < turns.size(); ++i) {
                if (dot(turns[i], turns[i - 1]) < 0) { turns[i] = -turns[i]; }
            }
        }
    }
    const ClipMeasure own = measure_clip(in_place, rig);
    steady.speed = own.speed;
    steady.direction = own.direction;
    steady.cycle = cycle;
    steady.steps_a_minute = own.steps_a_minute;
    for (const FootMeasure& foot : measure_clip(moved, rig).feet) { steady.slide = std::max(steady.slide, foot.slide); }
    const double way = std::hypot(travelled.x, travelled.z);
    steady.travels = way > 1e-6;
    steady.travel_speed = way / cycle;
    if (steady.travels) { steady.travel_direction = -std::atan2(travelled.x, travelled.z) * degrees_per_radian; }
    return steady;
}

namespace {

/// The state of that name in a layer, `air.take_off` for one inside another; null for none that plays by itself.
const StateDefinition* playing_state(const LayerDefinition& layer, std::string name) {
    const MachineDefinition* machine = &layer.machine;
    while (machine != nullptr) {
        const std::size_t dot = name.find('.');
        const std::string head = name.substr(0, dot);
        const auto found = std::find_if(machine->states.begin(), machine->states.end(),
                                        [&](const StateDefinition& s) { return s.name.value == head; });
        if (found == machine->states.end()) { return nullptr; }
        if (dot == std::string::npos) { return found->play.empty() ? nullptr : &*found; }
        machine = found->machine ? &*found->machine : nullptr;
        name = name.substr(dot + 1);
    }
    return nullptr;
}

/// By itself a state is in the lowest layer, and nothing of the others is left to speak of.
Document alone(const Document& document, const LayerDefinition& layer, StateDefinition state) {
    Document lone = document;
    state.go.clear();
    state.leads.clear();
    state.whole_body = state.takes_travel = false;
    lone.one_shots.clear();
    lone.forbid.clear();
    lone.decide.clear();
    LayerDefinition only;
    only.name = layer.name;
    only.place = layer.place;
    only.machine.start = state.name;
    only.machine.states = {std::move(state)};
    lone.layers = {std::move(only)};
    return lone;
}

} // namespace

std::optional<Document> lone_state(const Document& document, const std::string& name) {
    for (const LayerDefinition& layer : document.layers) {
        const std::string prefix = layer.name.value + ".";
        if (!name.starts_with(prefix)) { continue; }
        const StateDefinition* state = playing_state(layer, name.substr(prefix.size()));
        if (state != nullptr) { return alone(document, layer, *state); }
    }
    for (const LayerDefinition& layer : document.layers) {
        const StateDefinition* state = playing_state(layer, name);
        if (state != nullptr) { return alone(document, layer, *state); }
    }
    return std::nullopt;
}

} // namespace gait
