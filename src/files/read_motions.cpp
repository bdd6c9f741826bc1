#include "files/read_motions.hpp"

#include "files/yaml_values.hpp"

#include <fmt/core.h>

#include <algorithm>

namespace gait::detail {
namespace {

class MotionReader {
public:
    explicit MotionReader(DiagnosticSink& sink) : sink_(sink) {}

    MotionDefinition read_motion(const YamlNode& node, int depth) {
        MotionDefinition motion;
        motion.place = node.place;
        constexpr int deepest = 64;
        if (depth > deepest) {
            sink_.error(node.place, "too-deep", "motions nest too deeply here");
            return motion;
        }
        if (node.is_scalar()) {
            motion.clip = to_text(node, "a motion", sink_);
            motion.nothing = motion.clip.value == info_of(MotionKind::nothing).key;
            if (motion.nothing) { motion.clip = {}; }
            return motion;
        }
        if (!node.is_map()) {
            sink_.error(node.place, "wrong-shape",
                        fmt::format("'play' is the name of a clip or motion, or a map with {}; found {}",
                                    listed([](const MotionKindInfo& kind) { return fmt::format("'{}'", kind.key); }),
                                    describe(node)));
            return motion;
        }
        const YamlMap map(node, "a motion",
                          {"clip",  "loop",    "rate", "sync",      "mirror", "reverse", "blend", "points",
                           "weigh", "cells",   "fill", "keep_pace", "mix",    "add",     "to",    "weight",
                           "mask",  "against", "pick", "choose",    "of",     "fade"},
                          sink_);
        motion.loop = map.flag("loop");
        motion.rate = map.text("rate");
        motion.mirror = map.flag("mirror").value_or(false);
        motion.reverse = map.flag("reverse").value_or(false);
        read_word(map, "sync", "sync",
                  {{"footfall", SyncMode::footfall}, {"cycle", SyncMode::cycle}, {"off", SyncMode::off}}, motion.sync,
                  sink_);
        std::vector<std::string> said;
        for (const MotionKindInfo& kind : motion_kinds) {
            if (map.find(kind.key) != nullptr) { said.emplace_back(kind.key); }
        }
        if (said.size() > 1) {
            sink_.error(node.place, "wrong-shape",
                        fmt::format("a motion is either a '{}' or a '{}'; remove one of them", said[0], said[1]));
        } else if (said.empty()) {
            sink_.error(node.place, "wrong-shape",
                        "this motion plays nothing; add " +
                            listed([](const MotionKindInfo& kind) { return std::string(kind.to_write); }));
        }
        const auto belongs = [&](const char* key, std::initializer_list<std::string_view> owners, const char* what) {
            const YamlNode* extra = map.find(key);
            if (extra == nullptr || said.size() != 1) { return; }
            if (std::find(owners.begin(), owners.end(), said[0]) == owners.end()) {
                sink_.error(extra->place, "wrong-shape", fmt::format("'{}' belongs to {}", key, what));
            }
        };
        for (const char* key : {"points", "weigh", "cells", "fill", "keep_pace"}) {
            belongs(key, {"blend"}, "a blend space; add 'blend: PARAMETER' or remove it");
        }
        for (const char* key : {"to", "against"}) {
            belongs(key, {"add"}, "an addition; add 'add: MOTION' or remove it");
        }
        const auto belongs_to_clips = [&](const char* key, const char* what) {
            const YamlNode* extra = map.find(key);
            if (extra == nullptr || said.size() != 1) { return; }
            for (const MotionKindInfo& kind : motion_kinds) {
                if (kind.plays_clips && kind.key == said[0]) { return; }
            }
            sink_.error(extra->place, "wrong-shape", fmt::format("'{}' belongs to {}", key, what));
        };
        belongs_to_clips("sync", "what plays clips; write it inside the pick or choose");
        belongs("of", {"choose"}, "a 'choose'; write it there, or remove it");
        belongs("weight", {"add"}, "an 'add' or an entry of a mix; write it there");
        belongs("mask", {"add"}, "an 'add' or an entry of a mix; write it there");
        belongs("fade", {"choose", "mix", "add"}, "a 'choose', a mix, an addition or a transition; remove it");
        for (const char* key : {"rate", "mirror", "reverse"}) {
            belongs_to_clips(key, "a clip or a blend space; write it there");
        }
        belongs("loop", {"clip"}, "a clip; write it there");
        if (map.find("clip") != nullptr) { motion.clip = map.text("clip"); }
        if (const YamlNode* blend = map.find("blend")) { motion.blend = read_blend(map, *blend, node, depth); }
        if (const YamlNode* mix = map.find("mix")) { motion.mix = read_mix(map, *mix, depth); }
        if (const YamlNode* add = map.find("add")) { motion.add = read_add(map, *add, node, depth); }
        if (const YamlNode* pick = map.find("pick")) { motion.pick = read_pick(*pick, depth); }
        if (const YamlNode* choose = map.find("choose")) { motion.choose = read_choose(map, *choose, node, depth); }
        return motion;
    }

private:
    /// Every kind of motion that is a map, in words: `'clip', 'mix' or 'add'`.
    template <typename Words> static std::string listed(Words words) {
        std::string text;
        for (const MotionKindInfo& info : motion_kinds) {
            if (info.kind == MotionKind::nothing) { break; }
            const bool last = info.kind == MotionKind::choose;
            text += (text.empty() ? "" : last ? " or " : ", ") + words(info);
        }
        return text;
    }

    MixDefinition read_mix(const YamlMap& map, const YamlNode& node, int depth) {
        MixDefinition mix;
        if (const auto fade = map.number("fade", "seconds")) { mix.fade = *fade; }
        if (!node.is_sequence()) {
            sink_.error(
                node.place, "wrong-shape",
                fmt::format("'mix' is a list, such as 'mix: [stroll, {{play: shelter, weight: load}}]'; found {}",
                            describe(node)));
            return mix;
        }
        for (const YamlNode& item : node.items) {
            MixEntryDefinition& entry = mix.of.emplace_back();
            const bool has_play =
                item.is_map() && std::any_of(item.entries.begin(), item.entries.end(),
                                             [](const YamlEntry& e) { return e.key.scalar == "play"; });
            if (!has_play) {
                entry.play = read_motion(item, depth + 1);
                continue;
            }
            const YamlMap inner(item, "an entry of a mix", {"play", "weight", "mask"}, sink_);
            entry.play = read_motion(*inner.find("play"), depth + 1);
            entry.weight = inner.text("weight");
            entry.mask = inner.text("mask");
        }
        return mix;
    }

    AddDefinition read_add(const YamlMap& map, const YamlNode& what, const YamlNode& node, int depth) {
        AddDefinition add;
        add.what = read_motion(what, depth + 1);
        if (const YamlNode* to = map.find("to")) {
            add.to = read_motion(*to, depth + 1);
        } else {
            sink_.error(node.place, "missing-key", "nothing is said to add it to; add 'to: MOTION'");
        }
        add.weight = map.text("weight");
        add.mask = map.text("mask");
        add.against = map.text("against");
        if (const auto fade = map.number("fade", "seconds")) { add.fade = *fade; }
        return add;
    }

    PickDefinition read_pick(const YamlNode& node, int depth) {
        PickDefinition pick;
        const YamlMap map(node, "a pick", {"order", "of", "between", "fade"}, sink_);
        read_word(map, "order", "order",
                  {{"dealt", PickOrder::dealt}, {"random", PickOrder::random}, {"in turn", PickOrder::in_turn}},
                  pick.order, sink_);
        if (const auto fade = map.number("fade", "seconds")) { pick.fade = *fade; }
        if (const YamlNode* between = map.find("between")) { pick.between = read_motion(*between, depth + 1); }
        const YamlNode* of = map.find("of");
        if (of == nullptr) {
            if (map.is_map()) {
                sink_.error(node.place, "missing-key", "a pick needs motions; add 'of: [CLIP, {play: CLIP}]'");
            }
            return pick;
        }
        std::vector<const YamlNode*> items;
        if (of->is_sequence()) {
            for (const YamlNode& item : of->items) { items.push_back(&item); }
        } else {
            items = list_items(*of, "'of'", sink_);
        }
        for (const YamlNode* item : items) { pick.of.push_back(read_pick_entry(*item, depth)); }
        return pick;
    }

    PickEntry read_pick_entry(const YamlNode& node, int depth) {
        PickEntry entry;
        entry.place = node.place;
        if (node.is_scalar()) {
            entry.play = read_motion(node, depth + 1);
            return entry;
        }
        const YamlMap map(node, "an entry of a pick", {"play", "share", "loops", "rate", "fade"}, sink_);
        if (const YamlNode* play = map.find("play")) {
            entry.play = read_motion(*play, depth + 1);
        } else if (map.is_map()) {
            sink_.error(node.place, "missing-key", "this entry plays nothing; add 'play: CLIP'");
        }
        if (const Text rate = map.text("rate"); !rate.empty()) { entry.play.rate = rate; }
        if (const auto share = map.number("share", {})) { entry.share = *share; }
        if (const YamlNode* loops = map.find("loops")) { entry.loops = read_one_or_two(*loops, "rounds", sink_); }
        entry.fade = map.number("fade", "seconds");
        return entry;
    }

    ChooseDefinition read_choose(const YamlMap& map, const YamlNode& by, const YamlNode& node, int depth) {
        ChooseDefinition choose;
        choose.place = by.place;
        choose.by = to_text(by, "'choose'", sink_);
        const bool on_entry = choose.by.value == "on_entry";
        if (on_entry) { choose.by = {}; }
        if (const auto fade = map.number("fade", "seconds")) { choose.fade = *fade; }
        const YamlNode* of = map.find("of");
        if (of == nullptr) {
            sink_.error(node.place, "missing-key",
                        on_entry ? "this choose has no motions; add 'of: [{when: CONDITION, play: CLIP}, {play: CLIP}]'"
                                 : "this choose has no motions; add 'of: {VALUE: CLIP}'");
            return choose;
        }
        if (on_entry) {
            for (const YamlNode* item : list_items(*of, "'of'", sink_)) {
                const YamlMap entry(*item, "an entry of a choose", {"when", "play"}, sink_);
                ChooseEntry& added = choose.of.emplace_back();
                added.when = entry.text("when");
                if (const YamlNode* play = entry.find("play")) { added.play = read_motion(*play, depth + 1); }
            }
        } else {
            for (const auto& [value, play] : named_entries(*of, "'of' of a choose", sink_)) {
                ChooseEntry& added = choose.of.emplace_back();
                added.value = value;
                added.play = read_motion(*play, depth + 1);
            }
        }
        return choose;
    }

    static bool is_plain_number(const YamlNode& node) {
        return node.is_scalar() && !node.scalar.empty() &&
               node.scalar.find_first_not_of("+-.0123456789") == std::string::npos;
    }

    /// A point's place: a number, or one a parameter.
    std::vector<Number> read_place(const YamlNode& node) {
        std::vector<Number> place;
        if (!node.is_sequence()) {
            if (const auto number = to_number(node, "a point's place on the axis", sink_)) { place.push_back(*number); }
            return place;
        }
        for (const YamlNode& item : node.items) {
            place.push_back(to_number(item, "a point's place", sink_).value_or(Number(0, item.place)));
        }
        return place;
    }

    void read_point(const YamlNode& item, BlendDefinition& blend, int depth) {
        if (item.is_scalar()) { // a clip, where it is measured to be
            blend.points.emplace_back(std::vector<Number>{}, read_motion(item, depth + 1));
            return;
        }
        if (item.is_map() && item.entries.size() == 1 && item.entries.front().value.is_scalar() &&
            is_plain_number(item.entries.front().key)) { // `[1.4: stroll]`, a list of maps to YAML
            const YamlEntry& entry = item.entries.front();
            if (!said_brackets_) {
                sink_.error(
                    item.place, "wrong-shape",
                    fmt::format("points named by their places stand in braces and not in brackets: {{{}: {}, ...}}",
                                entry.key.scalar, entry.value.scalar));
            }
            said_brackets_ = true;
            blend.points.emplace_back(read_place(entry.key), read_motion(entry.value, depth + 1));
            return;
        }
        const YamlMap point(item, "a point", {"at", "to", "play"}, sink_);
        const YamlNode *at = point.find("at"), *to = point.find("to"), *play = point.find("play");
        if (point.is_map() && (at == nullptr || play == nullptr)) {
            sink_.error(item.place, "missing-key", "a point needs 'at' and 'play', such as {at: 1.4, play: stroll}");
        }
        if (play == nullptr) { return; }
        PointDefinition& added = blend.points.emplace_back();
        added.play = read_motion(*play, depth + 1);
        const bool measured = at != nullptr && at->is_scalar() && at->scalar == "measured";
        if (!measured) { added.at = at == nullptr ? std::vector{Number(0, item.place)} : read_place(*at); }
        if (!measured && added.at.empty()) { added.at = {Number(0, item.place)}; }
        if (to != nullptr) {
            added.to = read_place(*to);
            if (measured) {
                sink_.error(to->place, "wrong-shape", "a point that is measured holds at one place; remove 'to'");
            }
        }
    }

    void read_cells(const YamlNode& cells, BlendDefinition& blend) {
        for (const YamlNode* item : list_items(cells, "'cells'", sink_)) {
            if (!item->is_sequence() || item->items.size() < 3) {
                sink_.error(item->place, "wrong-shape",
                            "a cell lists the points at its corners, counted from 1, such as [1, 2, 4]");
                continue;
            }
            std::vector<Number>& cell = blend.cells.emplace_back();
            for (const YamlNode& corner : item->items) {
                cell.push_back(to_number(corner, "a point, counted from 1", sink_).value_or(Number(1, corner.place)));
            }
        }
    }

    void read_fill(const YamlNode& fill, BlendDefinition& blend) {
        std::vector<const YamlNode*> words;
        if (fill.is_sequence()) {
            for (const YamlNode& word : fill.items) { words.push_back(&word); }
        } else {
            words.push_back(&fill);
        }
        for (const YamlNode* node : words) {
            const Text word = to_text(*node, "'fill'", sink_);
            if (word.value == "mirror") {
                blend.fill_mirrored = true;
            } else if (word.value == "reverse") {
                blend.fill_reversed = true;
            } else if (!word.empty()) {
                sink_.unknown(word.place, "way to fill", word.value, {"mirror", "reverse"});
            }
        }
    }

    void read_keep_pace(const YamlNode& keep, BlendDefinition& blend) {
        if (keep.is_sequence()) {
            blend.keep_pace =
                read_window(keep, "'keep_pace' is 'yes', or the slowest and the fastest, times as fast", sink_);
        } else if (to_flag(keep, "'keep_pace'", sink_).value_or(false)) {
            blend.keep_pace = {Number(0.75, keep.place), Number(1.5, keep.place)};
        }
    }

    BlendDefinition read_blend(const YamlMap& map, const YamlNode& parameter, const YamlNode& node, int depth) {
        BlendDefinition blend;
        if (!parameter.is_sequence()) {
            blend.parameter = to_text(parameter, "'blend'", sink_);
        } else if (parameter.items.size() == 2) {
            blend.parameter = to_text(parameter.items[0], "'blend'", sink_);
            blend.second = to_text(parameter.items[1], "'blend'", sink_);
        } else {
            sink_.error(parameter.place, "wrong-shape",
                        fmt::format("a blend space runs along one parameter or two, such as 'blend: speed' or 'blend: "
                                    "[heading, speed]'; found {}",
                                    parameter.items.size()));
        }
        read_word(map, "weigh", "way to weigh", {{"cells", BlendWeighing::cells}, {"bands", BlendWeighing::bands}},
                  blend.weigh, sink_);
        if (const YamlNode* cells = map.find("cells")) { read_cells(*cells, blend); }
        if (const YamlNode* fill = map.find("fill")) { read_fill(*fill, blend); }
        if (const YamlNode* keep = map.find("keep_pace")) { read_keep_pace(*keep, blend); }
        const YamlNode* points = map.find("points");
        if (points == nullptr) {
            sink_.error(node.place, "missing-key",
                        "this blend space has no points; add 'points: {1.4: stroll, 4.2: run}'");
        } else if (points->is_map()) {
            for (const auto& [at, play] : points->entries) {
                if (!is_plain_number(at) && at.is_scalar() && is_plain_number(play)) {
                    if (!said_places_) {
                        sink_.error(at.place, "wrong-shape",
                                    fmt::format("a point is its place and what plays there; write '{}: {}'",
                                                play.scalar, at.scalar));
                    }
                    said_places_ = true;
                    blend.points.emplace_back(read_place(play), read_motion(at, depth + 1));
                    continue;
                }
                std::vector<Number> place = read_place(at);
                if (place.empty()) { place = {Number(0, at.place)}; }
                blend.points.emplace_back(std::move(place), read_motion(play, depth + 1));
            }
        } else if (points->is_sequence()) {
            for (const YamlNode& item : points->items) { read_point(item, blend, depth); }
        } else {
            for (const YamlNode* item : list_items(*points, "'points'", sink_)) { read_point(*item, blend, depth); }
        }
        return blend;
    }

    DiagnosticSink& sink_;
    bool said_brackets_ = false; ///< of points in brackets: once is enough
    bool said_places_ = false;   ///< and of places and motions that changed places
};

} // namespace

MotionDefinition read_motion(const YamlNode& node, DiagnosticSink& sink) {
    return MotionReader(sink).read_motion(node, 0);
}

} // namespace gait::detail
