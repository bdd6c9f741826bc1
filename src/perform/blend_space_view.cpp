#include "gait/space.hpp"

#include "character/character_data.hpp"
#include "perform/block_of.hpp"

#include <algorithm>
#include <cmath>

namespace gait {
using namespace detail;
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
    const double speed = length_of(place.x, place.y);
    const double heading = speed > 0 ? arc_tangent(place.x, place.y) * degrees_per_radian : 0;
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
        view.bands = plane.method() == PlaneMethod::bands;
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
    if (data.layers.empty()) { return std::nullopt; } // it was moved from
    // The block is only looked at.
    const PerformerBlock block = block_of(performer);
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
    const PlanePoint place = place_in_plane(*part, {block.smoothed(), block.cursors()});
    cursor.drawn = {place.x / part->scale_x, place.y / part->scale_y};
    cursor.velocity = part->cursor != no_index;
    if (!cursor.velocity) { return cursor; }
    cursor.speed = length_of(place.x, place.y);
    cursor.heading = cursor.speed > 0 ? arc_tangent(place.x, place.y) * degrees_per_radian : 0;
    return cursor;
}

std::optional<Vec3> steered_velocity(const Performer& performer, NumberParameter speed, NumberParameter heading) {
    const CharacterData& data = performer.character().data();
    if (!speed || !heading) { return std::nullopt; }
    // The block is only looked at.
    const PerformerBlock block = block_of(performer);
    for (std::size_t c = 0; c < data.cursors.size(); ++c) {
        if (data.cursors[c].number != speed.index || data.cursors[c].angle != heading.index) { continue; }
        const PlanePoint& place = block.cursors()[c];
        return Vec3{float(-place.x), 0, float(place.y)};
    }
    return std::nullopt;
}

} // namespace gait
