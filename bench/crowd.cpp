#include "crowd.hpp"

#include <fmt/core.h>

#include <cmath>
#include <stdexcept>

namespace bench {
namespace {

constexpr int joints = 64;

gait::Document document_of(const Material& material) {
    gait::Document document;
    for (const gait::ClipSource& clip : material.clips) {
        gait::ClipDefinition& definition = document.clips.emplace_back();
        definition.name = clip.name;
        definition.loop = true;
    }
    for (const char* name : {"x", "y", "z"}) {
        gait::ParameterDefinition parameter;
        parameter.name = name;
        parameter.range = {0, 1};
        parameter.default_value = 0.5;
        document.parameters.push_back(parameter);
    }
    return document;
}

std::shared_ptr<const gait::Character> compiled(const gait::Document& document, const Material& material) {
    const gait::Compiled result = gait::compile(document, material.assets);
    if (!result.character) { throw std::runtime_error(gait::format(result.diagnostics)); }
    return result.character;
}

gait::MotionDefinition nested(const Material& material, int first, int count, int depth) {
    if (count == 1) { return {gait::Text(material.clips[std::size_t(first)].name)}; }
    gait::BlendDefinition blend;
    blend.parameter = std::string(1, "xyz"[depth]);
    blend.points = {{0.0, nested(material, first, count / 2, depth + 1)},
                    {1.0, nested(material, first + count / 2, count / 2, depth + 1)}};
    return blend;
}

/// Plays one motion in one state.
void play_alone(gait::Document& document, gait::MotionDefinition motion) {
    gait::StateDefinition state;
    state.name = "only";
    state.play = std::move(motion);
    gait::LayerDefinition layer;
    layer.name = "body";
    layer.machine.start = "only";
    layer.machine.states = {state};
    document.layers = {layer};
}

} // namespace

Material make_material(const std::string& demo_file) {
    gait::ImportResult imported = gait::import_gltf(demo_file);
    if (!imported.file) { throw std::runtime_error(gait::format(imported.diagnostics)); }
    gait::Rig& rig = imported.file->rig;
    // Tassels on the coat's tails and the cap.
    std::vector<int> ends;
    for (const char* name :
         {"left_coat_front_2", "right_coat_front_2", "left_coat_back_2", "right_coat_back_2", "cap"}) {
        ends.push_back(rig.find(name).value());
    }
    while (int(rig.joints.size()) < joints) {
        int& end = ends[rig.joints.size() % ends.size()];
        gait::Joint link;
        link.name = fmt::format("tassel_{}", rig.joints.size());
        link.parent = end;
        link.rest.translation = {0, -0.05F, 0};
        end = int(rig.joints.size());
        rig.joints.push_back(link);
    }
    Material material;
    for (int c = 0; c < 8; ++c) {
        gait::ClipSource clip = imported.file->clips[1];
        clip.name = fmt::format("clip_{}", c);
        for (gait::JointTracks& tracks : clip.tracks) {
            for (gait::Quat& q : tracks.rotation.values) { q = gait::slerp({}, q, 0.8 + 0.05 * c); }
        }
        for (std::size_t j = clip.joints.size(); j < rig.joints.size(); ++j) {
            gait::JointTracks tracks;
            for (int k = 0; k <= 60; ++k) {
                tracks.rotation.times.push_back(clip.seconds * k / 60);
                tracks.rotation.values.push_back(gait::axis_angle(
                    {1, 0, 0.3F}, 12 * std::sin(2 * gait::pi * (k / 60.0 + 0.05 * double(j) + 0.01 * c))));
            }
            clip.joints.push_back(rig.joints[j].name);
            clip.tracks.push_back(std::move(tracks));
        }
        material.assets.clips.emplace(clip.name, clip);
        material.clips.push_back(std::move(clip));
    }
    material.assets.rig = rig;
    return material;
}

std::shared_ptr<const gait::Character> blend_of(const Material& material, int active) {
    gait::Document document = document_of(material);
    gait::MotionDefinition motion = nested(material, 0, active, 0);
    motion.sync = gait::SyncMode::off; // as the textbook plays them
    play_alone(document, std::move(motion));
    return compiled(document, material);
}

gait::detail::PlanePoint site_of(int point, int points) {
    // Sunflower seeds: never more than three on an empty circle.
    const double radius = 0.5 * std::sqrt((point + 0.5) / points), angle = 2.399963 * point;
    return {0.5 + radius * std::cos(angle), 0.5 + radius * std::sin(angle)};
}

namespace {

gait::BlendDefinition add_space(gait::Document& document, Material& more, int points) {
    gait::BlendDefinition space;
    space.parameter = "x";
    space.second = "y";
    for (int p = 0; p < points; ++p) {
        // Each a clip of its own, so that nothing is shared.
        const gait::ClipSource& clip = more.clips[std::size_t(p) % more.clips.size()];
        gait::ClipDefinition& definition = document.clips.emplace_back();
        definition.name = fmt::format("point_{}", p);
        definition.loop = true;
        more.assets.clips[definition.name.value] = clip;
        const gait::detail::PlanePoint site = site_of(p, points);
        space.points.emplace_back(std::vector<gait::Number>{site.x, site.y},
                                  gait::MotionDefinition(gait::Text(definition.name.value)));
    }
    return space;
}

gait::StateDefinition state_of(const char* name, gait::MotionDefinition motion) {
    gait::StateDefinition state;
    state.name = name;
    state.play = std::move(motion);
    return state;
}

gait::TransitionDefinition turn_to(const char* state) {
    gait::TransitionDefinition turn;
    turn.to = state;
    turn.after = {Whole::turn_seconds, Whole::turn_seconds};
    turn.fade = Whole::turn_seconds;
    return turn;
}

gait::MaskDefinition mask_of(const char* name, const char* from, int ramp) {
    gait::MaskDefinition mask;
    mask.name = name;
    mask.from = from;
    mask.ramp = double(ramp);
    return mask;
}

} // namespace

std::shared_ptr<const gait::Character> whole_of(const Material& material) {
    gait::Document document = document_of(material);
    Material more = material;
    document.parameters.resize(2); // x and y
    for (gait::ParameterDefinition& parameter : document.parameters) { parameter.smooth = 0.0; }
    gait::ParameterDefinition lean;
    lean.name = "lean";
    lean.range = {0, 1};
    lean.smooth = 0.0;
    gait::ParameterDefinition done;
    done.name = "done";
    done.kind = gait::ParameterKind::flag;
    document.parameters.insert(document.parameters.end(), {lean, done});
    document.masks = {mask_of("upper", "spine_1", Whole::ramp), mask_of("arm", "left_shoulder", 1)};

    gait::AddDefinition leaning;
    leaning.what = gait::MotionDefinition(gait::Text(material.clips[Whole::lean_clip].name));
    leaning.to = gait::MotionDefinition(add_space(document, more, Whole::points));
    leaning.weight = "lean";
    leaning.fade = 0.0;
    gait::MotionDefinition going;
    going.add = leaning;
    gait::MotionDefinition other(gait::Text(material.clips[Whole::other_clip].name));
    going.sync = other.sync = gait::SyncMode::cycle;

    gait::LayerDefinition legs;
    legs.name = "legs";
    legs.machine.start = "going";
    legs.machine.states = {state_of("going", going), state_of("other", other)};
    legs.machine.states[0].go = {turn_to("other")};
    legs.machine.states[1].go = {turn_to("going")};
    gait::LayerDefinition arms;
    arms.name = "arms";
    arms.mask = "upper";
    arms.machine.start = "holding";
    arms.machine.states = {
        state_of("holding", gait::MotionDefinition(gait::Text(material.clips[Whole::arms_clip].name)))};
    document.layers = {legs, arms};
    gait::OneShotDefinition wave;
    wave.name = "wave";
    wave.play = gait::MotionDefinition(gait::Text(material.clips[Whole::wave_clip].name));
    wave.mask = "arm";
    wave.until = "done";
    document.one_shots = {wave};
    return compiled(document, more);
}

std::shared_ptr<const gait::Character> space_of(const Material& material, int points) {
    gait::Document document = document_of(material);
    Material more = material;
    gait::MotionDefinition motion(add_space(document, more, points));
    motion.sync = gait::SyncMode::cycle;
    play_alone(document, std::move(motion));
    return compiled(document, more);
}

std::shared_ptr<const gait::Character> machine_of(const Material& material, int states) {
    gait::Document document = document_of(material);
    gait::LayerDefinition layer;
    layer.name = "body";
    layer.machine.start = "state_0";
    for (int s = 0; s < states; ++s) {
        gait::StateDefinition state;
        state.name = fmt::format("state_{}", s);
        state.play = nested(material, 0, 4, 0);
        state.play.sync = gait::SyncMode::off;
        gait::TransitionDefinition next;
        next.to = fmt::format("state_{}", (s + 1) % states);
        next.when = "x > 0.9 and y < 0.1";
        state.go = {next};
        layer.machine.states.push_back(state);
    }
    document.layers = {layer};
    return compiled(document, material);
}

} // namespace bench
