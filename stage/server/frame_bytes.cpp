#include "byte_writer.hpp"
#include "wire.hpp"

#include "gait/space.hpp"

#include "perform/block_of.hpp"
#include "perform/values.hpp"

#include <algorithm>

namespace gait::stage {
namespace {

constexpr std::uint8_t flag_pose = 1, flag_ghost = 2, flag_cursor = 4, flag_anew = 8;

void write_joints(ByteWriter& out, const std::vector<Transform>& model, bool scales) {
    for (const Transform& joint : model) {
        for (const float value : {joint.rotation.x, joint.rotation.y, joint.rotation.z, joint.rotation.w,
                                  joint.translation.x, joint.translation.y, joint.translation.z}) {
            out.real(double(value));
        }
        if (!scales) { continue; }
        for (const float value : {joint.scale.x, joint.scale.y, joint.scale.z}) { out.real(double(value)); }
    }
}

void write_layer(ByteWriter& out, const Performer& performer, std::size_t layer) {
    out.whole(performer.state(layer));
    out.real(performer.layer_weight(layer));
    const std::size_t count = performer.instance_count(layer);
    out.whole(std::uint8_t(count));
    std::vector<ClipView> clips(performer.character().clips().size());
    for (std::size_t i = 0; i < count; ++i) {
        const InstanceView view = performer.instance(i, layer);
        out.whole(view.state);
        out.whole(view.transition);
        out.real(double(view.weight));
        out.real(view.fade_seconds > 0 ? std::clamp(view.fade_elapsed / view.fade_seconds, 0.0, 1.0) : 1);
        // What is added to the others has no share of them.
        const auto end = std::remove_if(
            clips.begin(),
            clips.begin() + std::ptrdiff_t(std::min(clips.size(), performer.instance_clips(i, clips, layer))),
            [](const ClipView& clip) { return clip.added; });
        const std::size_t playing = std::min<std::size_t>(255, std::size_t(end - clips.begin()));
        out.whole(std::uint8_t(playing));
        for (std::size_t c = 0; c < playing; ++c) {
            out.whole(clips[c].clip);
            out.real(double(clips[c].weight));
            out.real(clips[c].phase);
        }
    }
}

/// Writes a list with a count of one byte before it.
template <typename List, typename Write> void write_list(ByteWriter& out, const List& list, Write write) {
    const std::size_t count = std::min<std::size_t>(255, list.size());
    out.whole(std::uint8_t(count));
    for (std::size_t i = 0; i < count; ++i) { write(list[i]); }
}

/// The second list after the first.
template <typename Item> void put_before(std::vector<Item>& list, const std::vector<Item>& first) {
    list.insert(list.begin(), first.begin(), first.end());
}

} // namespace

Skipped what_happened(const Performance& performance) {
    const Shown& shown = performance.shown();
    const auto taken = performance.now().performer.transitions();
    return {{taken.begin(), taken.end()}, shown.events, shown.sent, shown.jolt, shown.seam, shown.pop};
}

std::string frame_bytes(const Performance& performance, WithPose with_pose, const Skipped* skipped) {
    const Moment& now = performance.now();
    const Shown& shown = performance.shown();
    Skipped happened = what_happened(performance);
    if (skipped != nullptr) {
        put_before(happened.taken, skipped->taken);
        put_before(happened.events, skipped->events);
        put_before(happened.sent, skipped->sent);
        happened.jolt = std::max(happened.jolt, skipped->jolt);
        happened.seam = std::max(happened.seam, skipped->seam);
        if (skipped->pop.ratio > happened.pop.ratio) { happened.pop = skipped->pop; }
    }
    const Performer& performer = now.performer;
    const Character& character = performer.character();
    const bool scales = character.data().scales;
    const auto cursor = blend_cursor(performer);
    const bool pose = with_pose == WithPose::yes, ghost = pose && performer.instance_count() > 1;
    ByteWriter out;
    out.whole(std::uint8_t(1));
    out.whole(std::uint8_t((pose ? flag_pose : 0) | (ghost ? flag_ghost : 0) | (cursor ? flag_cursor : 0) |
                           (performance.frame() < performance.newest() ? flag_anew : 0)));
    out.whole(std::uint16_t(0));
    out.whole(std::int32_t(performance.frame()));
    out.whole(std::int32_t(performance.newest()));
    out.whole(std::int32_t(performance.oldest()));
    out.exact(now.place.x);
    out.exact(now.place.y);
    out.exact(now.place.z);
    out.exact(now.place.heading);
    out.real(double(shown.travel.move.x) * frames_per_second);
    out.real(double(shown.travel.move.z) * frames_per_second);
    out.real(happened.jolt);
    out.real(happened.pop.joint < 0 ? 0 : happened.pop.ratio);
    out.whole(std::int16_t(happened.pop.joint));
    out.whole(std::uint16_t(happened.pop.transition));
    out.real(happened.seam);
    const detail::PerformerBlock block = detail::block_of(performer);
    for (std::size_t p = 0; p < character.parameters().size(); ++p) {
        out.real(double(block.raw()[p]));
        out.real(double(block.smoothed()[p]));
    }
    for (std::size_t v = 0; v < character.values().size(); ++v) {
        out.real(double(detail::value_now(character.data(), block, v)));
    }
    for (std::size_t l = 0; l < character.layers().size(); ++l) { write_layer(out, performer, l); }
    write_list(out, shown.feet_down, [&](bool down) { out.whole(std::uint8_t(down ? 1 : 0)); });
    write_list(out, happened.taken, [&](const TransitionRecord& taken) {
        out.whole(taken.transition);
        out.whole(taken.from);
    });
    write_list(out, happened.events, [&](const Event& event) {
        out.whole(std::uint8_t(event.kind));
        out.whole(event.what);
    });
    write_list(out, happened.sent, [&](std::uint16_t signal) { out.whole(signal); });
    if (cursor) {
        out.whole(cursor->state);
        out.real(cursor->drawn[0]);
        out.real(cursor->drawn[1]);
    }
    if (!pose) { return out.take(); }
    std::vector<Transform> model(character.joint_count());
    performer.model_pose(model);
    write_joints(out, model, scales);
    if (ghost) {
        performer.instance_pose(performer.instance_count() - 2, model);
        for (std::size_t j = 0; j < model.size(); ++j) {
            const int parent = character.rig().joints[j].parent;
            if (parent >= 0) { model[j] = model[std::size_t(parent)] * model[j]; }
        }
        write_joints(out, model, scales);
    }
    return out.take();
}

} // namespace gait::stage
