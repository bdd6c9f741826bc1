/// Blend spaces of the compile step: axes, places, cells.
#include "compile/motions.hpp"
#include "compile/tessellation.hpp"

#include <fmt/core.h>

#include <algorithm>
#include <cmath>
#include <set>

namespace gait::detail {
namespace {

constexpr std::size_t most_points = 64;
/// Places closer than this, in scaled units, are one.
constexpr double same_site = 1e-9;
/// A stretch is cut into at most so many pieces, until the cells keep to it.
constexpr int most_pieces = 16;

PlanePoint velocity_of(double degrees, double speed) {
    const double radians = degrees / degrees_per_radian;
    return {speed * std::sin(radians), speed * std::cos(radians)};
}

double distance(PlanePoint a, PlanePoint b) { return std::hypot(a.x - b.x, a.y - b.y); }

/// The angle between two places as seen from where nothing moves, degrees.
double degrees_apart(PlanePoint a, PlanePoint b) {
    return std::fabs(wrapped_degrees((std::atan2(a.x, a.y) - std::atan2(b.x, b.y)) * degrees_per_radian));
}

} // namespace

std::uint16_t MotionCompiler::blend_parameter(const Text& name, const Arguments& arguments, bool& known,
                                              const std::string& path) {
    const auto& parameters = data_.parameters;
    const Text by = substituted(name, arguments);
    const auto found =
        std::find_if(parameters.begin(), parameters.end(), [&](const ParameterInfo& p) { return p.name == by.value; });
    if (found == parameters.end()) {
        if (!by.empty()) { context_.unknown(by.place, "parameter", by.value, names_of(parameters), path); }
        known = false;
        return 0;
    }
    if (!info_of(found->kind).continuous) {
        context_.error(by.place, "wrong-type",
                       fmt::format("'{}' is {} and a blend space runs along a number or an angle", found->name,
                                   info_of(found->kind).described),
                       path);
        known = false;
    }
    const auto slot = std::uint16_t(found - parameters.begin());
    context_.blend_parameters.insert(slot);
    return slot;
}

MotionCompiler::Axes MotionCompiler::axes_of(const BlendDefinition& blend, const Arguments& arguments,
                                             const std::string& path) {
    Axes axes;
    axes.first = blend_parameter(blend.parameter, arguments, axes.known, path);
    axes.two = !blend.second.empty();
    if (axes.two) { axes.second = blend_parameter(blend.second, arguments, axes.known, path); }
    if (!axes.known || data_.parameters.empty()) {
        axes.known = false;
        return axes;
    }
    const ParameterInfo &first = data_.parameters[axes.first], &second = data_.parameters[axes.second];
    const bool angle = first.kind == ParameterKind::angle, other_angle = second.kind == ParameterKind::angle;
    if (!axes.two) {
        axes.wraps_x = angle;
        return axes;
    }
    if (axes.first == axes.second) {
        context_.error(blend.second.place, "doubled-name",
                       fmt::format("both axes of this blend space are '{}'; name another, or write 'blend: {}'",
                                   first.name, first.name),
                       path);
        axes.known = false;
        return axes;
    }
    axes.velocities = angle != other_angle;
    axes.angle_first = angle;
    if (axes.velocities) {
        const auto& at_most = context_.document.parameters[angle ? axes.first : axes.second].at_most;
        if (at_most) {
            context_.error(
                at_most->place, "no-effect",
                fmt::format("with a speed this angle spans a plane of velocities, in which it is bounded by the "
                            "speed's 'at_most'; write it at '{}'",
                            angle ? second.name : first.name),
                path);
        }
        return axes;
    }
    axes.wraps_x = axes.wraps_y = angle;
    if (angle) {
        axes.scale_x = axes.scale_y = 1.0 / 360;
        return axes;
    }
    // So that the answer does not depend on units. Without a range it is the points' own extent.
    const auto scale = [&](const ParameterInfo& info, std::size_t axis) {
        double low = double(info.low), high = double(info.high);
        if (!std::isfinite(low) || !std::isfinite(high)) {
            low = std::numeric_limits<double>::infinity();
            high = -low;
            for (const PointDefinition& point : blend.points) {
                for (const auto* place : {&point.at, &point.to}) {
                    if (place->size() != 2) { continue; }
                    low = std::min(low, (*place)[axis].value);
                    high = std::max(high, (*place)[axis].value);
                }
            }
        }
        return high > low && std::isfinite(high - low) ? 1 / (high - low) : 1.0;
    };
    axes.scale_x = scale(first, 0);
    axes.scale_y = scale(second, 1);
    return axes;
}

std::optional<MotionCompiler::Own> MotionCompiler::own_place(const ResolvedMotion& play, const std::string& path) {
    const MotionDefinition* definition = play.definition;
    if (definition == nullptr) { return std::nullopt; }
    if (definition->clip.empty()) {
        context_.error(definition->place, "wrong-shape",
                       "only a clip can be measured; write this point's place, 'at: ...'", path);
        return std::nullopt;
    }
    const Text name = substituted(definition->clip, play.arguments);
    const auto found = clip_of_.find(name.value);
    if (found == clip_of_.end() || context_.prepared.empty()) { return std::nullopt; } // it is said elsewhere
    const auto own = context_.own_motion(
        context_.turned_clip(found->second, {play.mirror, play.reverse, play.loop.value_or(false)}));
    const double speed = std::hypot(own.right, own.ahead);
    constexpr double least_speed = 0.05; // metres a second
    if (speed < least_speed) { return Own{}; }
    return Own{speed, std::atan2(own.right, own.ahead) * degrees_per_radian};
}

PlanePoint MotionCompiler::placed(const std::vector<Number>& at, const Axes& axes, const std::string& path) {
    const std::size_t wanted = axes.two ? 2 : 1;
    if (at.size() != wanted) {
        context_.error(at.empty() ? Place{} : at.front().place, "wrong-shape",
                       axes.two ? fmt::format("a point here has a place on '{}' and one on '{}', such as at: [0, 1.4]; "
                                              "found {}",
                                              data_.parameters[axes.first].name, data_.parameters[axes.second].name,
                                              at.size())
                                : fmt::format("a point here has one place, on '{}'; found {}",
                                              data_.parameters[axes.first].name, at.size()),
                       path);
        return {};
    }
    for (const Number& number : at) {
        constexpr double farthest = 1e6;
        if (std::fabs(number.value) <= farthest) { continue; }
        context_.error(number.place, "wrong-range",
                       fmt::format("a point's place is at most {:g} from 0; found {}", farthest, number.value), path);
        return {};
    }
    if (!axes.two) { return {at[0].value, 0}; }
    if (!axes.velocities) { return {axes.scale_x * at[0].value, axes.scale_y * at[1].value}; }
    return axes.angle_first ? velocity_of(at[0].value, at[1].value) : velocity_of(at[1].value, at[0].value);
}

std::vector<MotionCompiler::Site> MotionCompiler::sites_of(const ResolvedMotion& resolved, const Axes& axes,
                                                           const Setting& setting, const std::string& path) {
    std::vector<Site> sites;
    const BlendDefinition& blend = *resolved.definition->blend;
    for (std::size_t i = 0; i < blend.points.size(); ++i) {
        const PointDefinition& point = blend.points[i];
        const std::string point_path = fmt::format("{}.points[{}]", path, i);
        Site site;
        site.definition = &point;
        site.setting = setting;
        if (point.at.empty()) {
            ResolvedMotion inner = resolve(point.play, resolved.arguments, point_path);
            inner.mirror = inner.mirror != setting.mirror;
            inner.reverse = inner.reverse != setting.reverse;
            const auto own = own_place(inner, point_path);
            if (axes.two && !axes.velocities) {
                context_.error(point.play.place, "wrong-shape",
                               "a clip is measured by its speed and its heading, and here the axes are others; write "
                               "its place, 'at: [.., ..]'",
                               point_path);
            }
            if (!own) { continue; }
            site.place = axes.velocities ? velocity_of(own->direction, own->speed)
                                         : PlanePoint{axes.wraps_x ? own->direction : own->speed, 0};
        } else {
            site.place = placed(point.at, axes, point_path);
        }
        site.to = site.place;
        if (!point.to.empty()) {
            site.to = placed(point.to, axes, point_path);
            site.holds = distance(site.place, site.to) > same_site;
        }
        sites.push_back(site);
    }
    return sites;
}

void MotionCompiler::fill(const BlendDefinition& blend, const Axes& axes, std::vector<Site>& sites,
                          const std::string& path) {
    if ((blend.fill_mirrored || blend.fill_reversed) && axes.two && !axes.velocities && !axes.wraps_x) {
        context_.error(blend.parameter.place, "wrong-shape",
                       "of two numbers nothing says which one is the side; write the points, with 'mirror: yes' or "
                       "'reverse: yes' where they play",
                       path);
        return;
    }
    if (blend.fill_reversed && axes.two && !axes.velocities) {
        context_.error(blend.parameter.place, "wrong-shape",
                       "'fill: reverse' turns a direction of travel round, and here no axis is one; remove it", path);
        return;
    }
    const auto turned = [&](PlanePoint place, bool mirror) -> PlanePoint {
        if (axes.velocities) { return mirror ? PlanePoint{-place.x, place.y} : PlanePoint{-place.x, -place.y}; }
        if (!axes.two && axes.wraps_x) { return {mirror ? -place.x : wrapped_degrees(place.x + 180), 0}; }
        return {-place.x, place.y};
    };
    double extent = 0;
    for (const Site& a : sites) {
        for (const Site& b : sites) { extent = std::max(extent, distance(a.place, b.place)); }
    }
    // In a plane of velocities a direction is missing when nothing goes nearly there; else a place when nothing is
    // near.
    const auto missing = [&](PlanePoint place, std::size_t among) {
        constexpr double same_direction = 20; // degrees
        constexpr double near = 0.05;         // of the space's extent
        return std::none_of(sites.begin(), sites.begin() + std::ptrdiff_t(among), [&](const Site& site) {
            if (axes.velocities) {
                return std::hypot(site.place.x, site.place.y) > same_site &&
                       degrees_apart(site.place, place) < same_direction;
            }
            if (axes.wraps_x && !axes.two) {
                return std::fabs(wrapped_degrees(site.place.x - place.x)) < same_direction;
            }
            return distance(site.place, place) <= near * extent;
        });
    };
    const auto add = [&](bool mirror) {
        const std::size_t written = sites.size();
        for (std::size_t s = 0; s < written; ++s) {
            Site copy = sites[s];
            copy.place = turned(copy.place, mirror);
            copy.to = turned(copy.to, mirror);
            (mirror ? copy.setting.mirror : copy.setting.reverse) ^= true;
            if (std::hypot(copy.place.x, copy.place.y) > same_site && missing(copy.place, written)) {
                sites.push_back(copy);
            }
        }
    };
    if (blend.fill_mirrored) { add(true); }
    if (blend.fill_reversed) { add(false); }
}

std::uint32_t MotionCompiler::shared_part(const std::vector<std::uint32_t>& parts) {
    if (parts.size() == 1) { return parts.front(); }
    MotionPart part;
    part.kind = PartKind::shared;
    part.first = std::uint32_t(data_.motions.points.size());
    part.count = std::uint32_t(parts.size());
    for (const std::uint32_t inner : parts) { data_.motions.points.push_back({0, inner}); }
    return add_part(part);
}

std::uint16_t MotionCompiler::cursor_of(const Axes& axes) {
    const std::uint16_t angle = axes.angle_first ? axes.first : axes.second;
    const std::uint16_t number = axes.angle_first ? axes.second : axes.first;
    auto& cursors = data_.cursors;
    for (std::size_t c = 0; c < cursors.size(); ++c) {
        if (cursors[c].angle == angle && cursors[c].number == number) { return std::uint16_t(c); }
    }
    cursors.push_back({number, angle, 0, 0});
    return std::uint16_t(cursors.size() - 1);
}

std::uint32_t MotionCompiler::finish_line(const Axes& axes, const std::vector<Site>& sites) {
    std::map<double, std::vector<std::uint32_t>> places;
    for (const Site& site : sites) {
        // An angle's places are taken where its values are, so that they stand in the order in which it meets them.
        const auto on_axis = [&](double at) { return axes.wraps_x ? wrapped_degrees(at) : at; };
        places[on_axis(site.place.x)].push_back(site.part);
        if (site.holds) { places[on_axis(site.to.x)].push_back(site.part); }
    }
    std::vector<BlendPoint> points;
    for (const auto& [at, parts] : places) { points.push_back({at, shared_part(parts)}); }
    MotionPart part;
    part.kind = PartKind::line;
    part.wraps = axes.wraps_x && points.size() > 1;
    part.parameter = axes.first;
    part.first = std::uint32_t(data_.motions.points.size());
    part.count = std::uint32_t(points.size());
    data_.motions.points.insert(data_.motions.points.end(), points.begin(), points.end());
    return add_part(part);
}

std::uint16_t MotionCompiler::PlaneSites::add(PlanePoint place, PlanePoint to, std::uint32_t part) {
    for (std::size_t p = 0; p < places.size(); ++p) {
        if (distance(places[p], place) <= same_site) {
            parts[p].push_back(part);
            return std::uint16_t(p);
        }
    }
    places.push_back(place);
    stretches.push_back({place, to});
    parts.push_back({part});
    return std::uint16_t(places.size() - 1);
}

MotionCompiler::PlaneSites MotionCompiler::lay_out(const Axes& axes, const std::vector<Site>& sites, int pieces) {
    PlaneSites laid;
    // A space along an angle goes on round, so its points come again a turn to both sides.
    for (const double round_x : {0.0, -1.0, 1.0}) {
        for (const double round_y : {0.0, -1.0, 1.0}) {
            if ((round_x != 0 && !axes.wraps_x) || (round_y != 0 && !axes.wraps_y)) { continue; }
            const auto at = [&](PlanePoint from) { return PlanePoint{from.x + round_x, from.y + round_y}; };
            for (const Site& site : sites) {
                std::uint16_t before = 0;
                const int last = site.holds ? pieces : 0;
                for (int i = 0; i <= last; ++i) {
                    const double along = last == 0 ? 0 : double(i) / last;
                    const PlanePoint place = at({site.place.x + along * (site.to.x - site.place.x),
                                                 site.place.y + along * (site.to.y - site.place.y)});
                    const std::uint16_t index = laid.add(place, at(site.to), site.part);
                    if (i > 0) { laid.wanted.push_back({before, index}); }
                    before = index;
                }
            }
        }
    }
    return laid;
}

std::optional<KeptList<Cell>> MotionCompiler::cells_by_hand(const BlendDefinition& blend, std::size_t written,
                                                            const KeptList<PlanePoint>& places,
                                                            const std::string& path) {
    const std::string cells_path = path + ".cells";
    KeptList<Cell> cells;
    for (const std::vector<Number>& written_cell : blend.cells) {
        Cell& cell = cells.emplace_back();
        for (const Number& corner : written_cell) {
            if (!(corner.value >= 1) || corner.value > double(written) || corner.value != std::floor(corner.value)) {
                context_.error(corner.place, "wrong-range",
                               fmt::format("there are {} points, counted from 1; found {}", written, corner.value),
                               cells_path);
                return std::nullopt;
            }
            cell.push_back(std::uint16_t(corner.value - 1));
        }
    }
    const auto& first = blend.cells.front(); // a program may have left it empty
    const Place place = first.empty() ? blend.parameter.place : first.front().place;
    if (places.size() != written) {
        context_.error(place, "wrong-shape",
                       "cells by hand need points that all stand at one place each; remove 'cells' or 'to'",
                       cells_path);
        return std::nullopt;
    }
    if (const auto fault = faults_of_cells(places, cells)) {
        context_.error(place, "wrong-cells",
                       fmt::format("these cells do not fit together: {}; leave 'cells' out to have them found", *fault),
                       cells_path);
        return std::nullopt;
    }
    return cells;
}

namespace {

/// Clips that go the same way, one faster than the other, are neighbours: between them nothing from aside plays.
void join_headings(const KeptList<PlanePoint>& places, KeptList<Cell>& cells) {
    std::vector<std::pair<double, std::array<std::uint16_t, 2>>> wanted; // by their difference in speed
    const auto speed = [&](std::size_t site) { return std::hypot(places[site].x, places[site].y); };
    for (std::size_t a = 0; a < places.size(); ++a) {
        const auto next = next_faster(places, a);
        if (next) { wanted.push_back({speed(*next) - speed(a), {std::uint16_t(a), std::uint16_t(*next)}}); }
    }
    std::sort(wanted.begin(), wanted.end());
    std::vector<std::array<std::uint16_t, 2>> kept;
    for (const auto& [apart, pair] : wanted) {
        if (are_neighbours(cells, pair[0], pair[1]) || join_sites(places, cells, pair[0], pair[1], kept)) {
            kept.push_back(pair);
        }
    }
}

} // namespace

std::uint32_t MotionCompiler::finish_plane(const BlendDefinition& blend, const Axes& axes,
                                           const std::vector<Site>& sites, const std::string& path) {
    const bool bands = blend.weigh == BlendWeighing::bands;
    PlaneSites laid;
    KeptList<Cell> cells;
    // A stretch is cut into more pieces until the cells keep to it. Bands know stretches as they are.
    for (int pieces = 1; pieces <= most_pieces; pieces *= 2) {
        laid = lay_out(axes, sites, bands ? 0 : pieces);
        if (laid.places.size() > most_sites) {
            context_.error(blend.parameter.place, "too-many",
                           fmt::format("{} points, counted with those that stretches and angles need, and {} are "
                                       "possible",
                                       laid.places.size(), most_sites),
                           path);
            return add_part({});
        }
        cells = tessellate(laid.places);
        if (std::all_of(laid.wanted.begin(), laid.wanted.end(),
                        [&](auto pair) { return are_neighbours(cells, pair[0], pair[1]); })) {
            break;
        }
    }
    if (axes.velocities && !bands) { join_headings(laid.places, cells); }
    if (!blend.cells.empty()) {
        auto written = cells_by_hand(blend, sites.size(), laid.places, path);
        if (!written) { return add_part({}); }
        cells = std::move(*written);
    }
    MotionPart part;
    part.kind = PartKind::plane;
    part.parameter = axes.first;
    part.second = axes.second;
    part.scale_x = axes.scale_x;
    part.scale_y = axes.scale_y;
    if (axes.velocities) { part.cursor = cursor_of(axes); }
    std::vector<BlendPoint> points;
    for (const auto& shared : laid.parts) { points.push_back({0, shared_part(shared)}); }
    part.first = std::uint32_t(data_.motions.points.size());
    part.count = std::uint32_t(points.size());
    part.plane = std::uint16_t(data_.motions.planes.size());
    data_.motions.points.insert(data_.motions.points.end(), points.begin(), points.end());
    data_.motions.planes.emplace_back(std::move(laid.places), std::move(cells),
                                      bands ? PlaneMethod::bands : PlaneMethod::cells, std::move(laid.stretches));
    return add_part(part);
}

std::uint32_t MotionCompiler::compile_blend(const ResolvedMotion& resolved, Building& building, Setting setting,
                                            const std::string& path) {
    const BlendDefinition& blend = *resolved.definition->blend;
    const Axes axes = axes_of(blend, resolved.arguments, path);
    if (blend.points.empty()) {
        context_.error(resolved.definition->place, "missing-key", "a blend space needs at least one point", path);
    }
    if (blend.points.size() > most_points) {
        context_.error(
            resolved.definition->place, "too-many",
            fmt::format("{} points, and {} are possible in one blend space", blend.points.size(), most_points), path);
        return add_part({});
    }
    setting.blended = !setting.additive;
    if (blend.keep_pace && axes.known && setting.pace_group == 0 && !setting.additive) {
        if (axes.two && !axes.velocities) {
            context_.error(blend.keep_pace->first.place, "wrong-shape",
                           "'keep_pace' needs to know the speed asked for: a space on a speed, or on a heading and a "
                           "speed",
                           path);
        } else if (!axes.two && axes.wraps_x) {
            context_.error(blend.keep_pace->first.place, "wrong-shape",
                           "'keep_pace' needs to know the speed asked for, and an angle is none", path);
        } else if (const auto& [slowest, fastest] = *blend.keep_pace;
                   !(slowest.value > 0) || slowest.value > 1 || !(fastest.value >= 1) || fastest.value > 10) {
            context_.error(slowest.place, "wrong-range",
                           fmt::format("the slowest is more than 0 and at most 1, the fastest 1 to 10; found {} and {}",
                                       slowest.value, fastest.value),
                           path);
        } else {
            PaceGroup group;
            group.parameter = axes.first;
            if (axes.velocities) { group.cursor = cursor_of(axes); }
            group.slowest = blend.keep_pace->first.value;
            group.fastest = blend.keep_pace->second.value;
            data_.motions.pace_groups.push_back(group);
            setting.pace_group = std::uint16_t(data_.motions.pace_groups.size());
        }
    }
    if (!axes.known) {
        // What the points play is still looked at.
        for (std::size_t i = 0; i < blend.points.size(); ++i) {
            compile_inner(blend.points[i].play, resolved, building, setting, fmt::format("{}.points[{}]", path, i));
        }
        return add_part({});
    }
    std::vector<Site> sites = sites_of(resolved, axes, setting, path);
    fill(blend, axes, sites, path);
    for (Site& site : sites) {
        const auto index = std::size_t(site.definition - blend.points.data());
        site.part = compile_inner(site.definition->play, resolved, building, site.setting,
                                  fmt::format("{}.points[{}]", path, index));
    }
    if (sites.empty()) { return add_part({}); }
    const std::uint32_t part = axes.two ? finish_plane(blend, axes, sites, path) : finish_line(axes, sites);
    data_.notes.blend_places[part] = resolved.definition->place;
    // What could not be laid out is no space, and has no clips to measure.
    const bool is_space = data_.motions.parts[part].kind != PartKind::leaf;
    if (blend.keep_pace && setting.pace_group != 0 && is_space) {
        data_.motions.parts[part].pace_group = setting.pace_group;
        building.keep_pace.push_back(part);
    }
    return part;
}

void MotionCompiler::measure_carried(MotionPart& part, const Building& building) {
    if (context_.prepared.empty()) { return; }
    const MotionTable& table = data_.motions;
    std::vector<const Leaf*> leaves;
    for (std::uint32_t p = 0; p < part.count; ++p) {
        const MotionPart& inner = table.parts[table.points[part.first + p].part];
        // Only of lone clips: what else plays at a point changes with its own inputs.
        if (inner.kind != PartKind::leaf || !building.leaves[inner.leaf].pace.empty()) { return; }
        leaves.push_back(&building.leaves[inner.leaf]);
    }
    CarriedTable carried;
    const std::size_t n = leaves.size();
    for (const Leaf* leaf : leaves) {
        const auto own = context_.own_motion(leaf->clip);
        carried.own.push_back({own.right, own.ahead});
    }
    carried.pair_corrections.assign(n * n, {});
    const auto measure_pair = [&](std::size_t a, std::size_t b) {
        if (a == b || leaves[a]->clip == leaves[b]->clip || !leaves[a]->loops || !leaves[b]->loops) { return; }
        const auto half = context_.half_and_half(*leaves[a], *leaves[b]);
        if (!half) { return; }
        const PlanePoint correction{half->right - (carried.own[a].x + carried.own[b].x) / 2,
                                    half->ahead - (carried.own[a].y + carried.own[b].y) / 2};
        carried.pair_corrections[a * n + b] = carried.pair_corrections[b * n + a] = correction;
    };
    if (part.kind == PartKind::line) {
        for (std::size_t p = 0; p + 1 < n; ++p) { measure_pair(p, p + 1); }
    } else {
        std::set<std::pair<std::size_t, std::size_t>> done;
        for (const Cell& cell : table.planes[part.plane].cells()) {
            for (std::size_t i = 0; i < cell.size(); ++i) {
                for (std::size_t j = i + 1; j < cell.size(); ++j) {
                    const std::pair<std::size_t, std::size_t> pair = std::minmax(cell[i], cell[j]);
                    if (done.insert(pair).second) { measure_pair(pair.first, pair.second); }
                }
            }
        }
    }
    part.carried = std::uint16_t(data_.motions.carried.size());
    data_.motions.carried.push_back(std::move(carried));
}

} // namespace gait::detail
