#include "shipped_rows.hpp"

#include "textbook.hpp"

#include "character/character_data.hpp"
#include "gait/cue_player.hpp"
#include "gait/gait.hpp"
#include "gait/plain_body.hpp"
#include "math/pose_kernels.hpp"

#include <algorithm>
#include <chrono>
#include <cmath>
#include <functional>
#include <numeric>
#include <optional>
#include <stdexcept>

namespace bench {
namespace {

constexpr double dt = 1.0 / 60;
constexpr int runs = 9;

/// A clip in a frame, with its share of its layer.
struct Mixed {
    std::uint16_t clip;
    double phase;
    float weight;
};

/// What a frame mixes: a list of clips for each layer that shows something, and how much that counts on each joint.
struct MixedLayer {
    std::size_t layer = 0;
    std::vector<Mixed> clips;
    std::vector<float> weights; ///< [joint]; of the lowest layer none
};
using MixedFrame = std::vector<MixedLayer>;

MixedFrame mixed_in(const gait::Performer& performer) {
    const gait::Character& character = performer.character();
    MixedFrame frame;
    std::vector<gait::ClipView> clips(64);
    for (std::size_t l = 0; l < character.layers().size(); ++l) {
        MixedLayer layer;
        layer.layer = l;
        float total = 0;
        for (std::size_t i = 0; i < performer.instance_count(l); ++i) {
            const std::size_t count = std::min(clips.size(), performer.instance_clips(i, clips, l));
            const float weight = performer.instance(i, l).weight;
            for (std::size_t c = 0; c < count; ++c) {
                if (clips[c].added || !(weight * clips[c].weight > 0)) { continue; }
                layer.clips.push_back({clips[c].clip, clips[c].phase, weight * clips[c].weight});
                total += layer.clips.back().weight;
            }
        }
        for (Mixed& clip : layer.clips) { clip.weight /= total; }
        if (l > 0) {
            layer.weights.resize(character.joint_count());
            performer.layer_weights(l, layer.weights);
        }
        if (!layer.clips.empty() && (l == 0 || performer.layer_weight(l) > 0)) { frame.push_back(std::move(layer)); }
    }
    return frame;
}

/// The kernels that no frame can do without: each layer's clips summed and normalised, upper layers laid over.
class Floor {
public:
    explicit Floor(const gait::detail::CharacterData& data)
        : data_(data), lanes_(data.layout.lanes), pose_(4 * lanes_), over_(4 * lanes_), weights_(lanes_),
          signs_(lanes_), agreements_(lanes_), results_(lanes_) {}

    void frame(const MixedFrame& mixed) {
        for (const MixedLayer& layer : mixed) {
            const gait::detail::Window reach =
                layer.layer == 0 ? gait::detail::Window{0, lanes_} : data_.layout.layers[layer.layer].reach;
            sources_.clear();
            for (const Mixed& clip : layer.clips) { sources_.push_back(source(clip, reach.first)); }
            gait::detail::AlignedFloats& out = layer.layer == 0 ? pose_ : over_;
            for (std::size_t row = 0; row < 4; ++row) {
                std::fill_n(out.data() + row * lanes_ + reach.first, reach.lanes, 0.0F);
            }
            gait::kernels::accumulate({out.data() + reach.first, lanes_}, sources_.data(), sources_.size(),
                                      reach.lanes);
            gait::kernels::normalize({out.data() + reach.first, lanes_}, reach.lanes);
            if (layer.layer == 0) { continue; }
            gait::kernels::blend_rotations(
                {pose_.data() + reach.first, lanes_}, {over_.data() + reach.first, lanes_},
                weights_.data() + reach.first,
                {signs_.data() + reach.first, agreements_.data() + reach.first, results_.data() + reach.first},
                reach.lanes);
        }
    }

private:
    [[nodiscard]] gait::kernels::BlendSource source(const Mixed& mixed, std::size_t first) const {
        const gait::detail::SampledClip& clip = data_.clips[mixed.clip];
        const double place = mixed.phase * clip.intervals;
        const auto frame = std::min(std::uint32_t(place), clip.intervals > 0 ? clip.intervals - 1 : 0);
        const float second = clip.intervals > 0 ? mixed.weight * float(place - frame) : 0;
        return {clip.frame(frame) + first,
                clip.frame(std::min(frame + 1, clip.intervals)) + first,
                lanes_,
                mixed.weight - second,
                second,
                nullptr};
    }

    const gait::detail::CharacterData& data_;
    std::size_t lanes_;
    gait::detail::AlignedFloats pose_, over_, weights_;
    std::vector<std::int8_t> signs_, agreements_, results_;
    std::vector<gait::kernels::BlendSource> sources_;
};

/// The same by keys and slerps.
class TextbookMix {
public:
    TextbookMix(const gait::Character& character, const gait::Assets& assets) : rest_(rest_of(character.rig())) {
        for (const gait::ClipInfo& info : character.clips()) {
            const auto known = assets.clips.find(info.name);
            clips_.push_back(known == assets.clips.end() ? TextbookClip{}
                                                         : textbook_clip(in_order(known->second, character.rig())));
        }
    }

    TextbookPose frame(const MixedFrame& mixed) {
        TextbookPose pose = rest_;
        for (const MixedLayer& layer : mixed) {
            std::optional<TextbookPose> own;
            float total = 0;
            for (const Mixed& clip : layer.clips) {
                total += clip.weight;
                const TextbookClip& keys = clips_[clip.clip];
                TextbookPose next = sample(keys, rest_, float(clip.phase) * keys.seconds);
                own = own ? blend(*own, next, clip.weight / total) : std::move(next);
            }
            if (layer.weights.empty()) {
                pose = std::move(*own);
                continue;
            }
            for (std::size_t j = 0; j < pose.rotations.size(); ++j) {
                if (!(layer.weights[j] > 0)) { continue; }
                pose.rotations[j] = pose.rotations[j].slerp(layer.weights[j], own->rotations[j]);
                pose.translations[j] += (own->translations[j] - pose.translations[j]) * layer.weights[j];
            }
        }
        return pose;
    }

private:
    /// Its tracks in the order of the rig's joints.
    static gait::ClipSource in_order(const gait::ClipSource& clip, const gait::Rig& rig) {
        gait::ClipSource ordered;
        ordered.seconds = clip.seconds;
        for (const gait::Joint& joint : rig.joints) {
            const auto at = std::find(clip.joints.begin(), clip.joints.end(), joint.name);
            ordered.tracks.push_back(at == clip.joints.end() ? gait::JointTracks{}
                                                             : clip.tracks[std::size_t(at - clip.joints.begin())]);
        }
        return ordered;
    }

    TextbookPose rest_;
    std::vector<TextbookClip> clips_;
};

double nanoseconds_of(const std::function<void()>& work) {
    const auto before = std::chrono::steady_clock::now();
    work();
    return std::chrono::duration<double, std::nano>(std::chrono::steady_clock::now() - before).count();
}

/// What it takes to look at the clock, which is no part of a frame.
double of_the_clock() {
    double least = 1e9;
    for (int i = 0; i < 1000; ++i) {
        least = std::min(least, nanoseconds_of([] {}));
    }
    return least;
}

double mean_of(const std::vector<double>& values, std::size_t from, std::size_t to) {
    return std::accumulate(values.begin() + std::ptrdiff_t(from), values.begin() + std::ptrdiff_t(to), 0.0) /
           double(to - from);
}

struct Shipped {
    gait::Loaded loaded;
    gait::Assets assets;
};

Shipped shipped(const std::filesystem::path& path) {
    Shipped result{gait::load(path), {}};
    if (!result.loaded.character) { throw std::runtime_error(gait::format(result.loaded.diagnostics)); }
    result.assets = gait::load_assets(result.loaded.document).assets;
    return result;
}

/// Sets a frame's inputs.
using SetInputs = std::function<void(gait::Performer&, std::size_t frame)>;

/// What a row plays.
struct Played {
    const Shipped& document;
    std::function<SetInputs()> new_inputs;
    std::optional<gait::PlainBody> body = {}; ///< as which the game moves the body, to plant its feet

    /// What a game does in a frame when its inputs are set.
    void frame(gait::Performer& performer) const {
        performer.advance(dt);
        if (body) { performer.plant_feet(body->move(performer, dt)); }
        performer.pose({});
    }
};

/// Frames from `first` on, of which one is looked at.
struct Second {
    std::size_t first, end, looked_at;
};

/// Plays a second a few times; each time the frame that is looked at is done again and again as well. The least that
/// takes, against the mean of the least of each frame.
double again_over_second(const Played& played, const Second& second, double clock) {
    constexpr int plays = 12, times = 20;
    double again = 1e12;
    std::vector<double> frames(second.end - second.first, 1e12);
    for (int play = 0; play < plays; ++play) {
        gait::Performer performer(played.document.loaded.character);
        const SetInputs inputs = played.new_inputs();
        const auto frame_of = [&](gait::Performer& one) { return nanoseconds_of([&] { played.frame(one); }) - clock; };
        for (std::size_t f = 0; f < second.end; ++f) {
            inputs(performer, f);
            for (int time = 0; f == second.looked_at && time < times; ++time) {
                gait::Performer copy = performer;
                again = std::min(again, frame_of(copy));
            }
            const double took = frame_of(performer);
            if (f >= second.first) { frames[f - second.first] = std::min(frames[f - second.first], took); }
        }
    }
    return again / mean_of(frames, 0, frames.size());
}

ShippedRow row_of(std::string name, std::size_t before, std::size_t frames, const Played& played) {
    const gait::SharedCharacter shared = played.document.loaded.character;
    const gait::Character& character = *shared;
    std::vector<MixedFrame> mixed;
    std::vector<double> ours(frames, 1e12), advances(frames, 1e12), floors(frames, 1e12), textbooks(frames, 1e12);
    const double clock = of_the_clock();
    const auto keep = [&](double& least, const std::function<void()>& work) {
        least = std::min(least, nanoseconds_of(work) - clock);
    };
    Floor floor(character.data());
    TextbookMix textbook(character, played.document.assets);
    // By turns, for a machine that others share goes now faster, now slower.
    for (int run = 0; run < runs; ++run) {
        gait::Performer performer(shared), unseen(shared);
        const SetInputs inputs = played.new_inputs(), inputs_of_unseen = played.new_inputs();
        for (std::size_t f = 0; f < before + frames; ++f) {
            double warming = 0;
            keep(f < before ? warming : ours[f - before], [&] {
                inputs(performer, f);
                played.frame(performer);
            });
            if (run == 0 && f >= before) { mixed.push_back(mixed_in(performer)); }
        }
        for (std::size_t f = 0; f < before + frames; ++f) {
            double warming = 0;
            inputs_of_unseen(unseen, f);
            keep(f < before ? warming : advances[f - before], [&] { unseen.advance(dt); });
        }
        for (std::size_t f = 0; f < frames; ++f) {
            keep(floors[f], [&] { floor.frame(mixed[f]); });
        }
        if (run % 3 != 0) { continue; }
        for (std::size_t f = 0; f < frames; ++f) {
            keep(textbooks[f], [&] {
                const TextbookPose pose = textbook.frame(mixed[f]);
                if (pose.rotations.empty()) { throw std::logic_error("a textbook's pose is empty"); }
            });
        }
    }
    ShippedRow row;
    row.name = std::move(name);
    row.frames = frames;
    row.mean = mean_of(ours, 0, frames);
    row.advance = mean_of(advances, 0, frames);
    row.floor = mean_of(floors, 0, frames);
    row.textbook = mean_of(textbooks, 0, frames);
    for (std::size_t f = 0; f < frames; ++f) {
        const std::size_t from = f > 30 ? f - 30 : 0, end = std::min(frames, from + 60);
        const double over = ours[f] / mean_of(ours, from, end);
        row.worst_over_second = std::max(row.worst_over_second, over);
        if (over <= 3) { continue; }
        row.again_over_second = std::max(row.again_over_second,
                                         again_over_second(played, {before + from, before + end, before + f}, clock));
    }
    std::sort(ours.begin(), ours.end());
    row.ninety_ninth = ours[frames * 99 / 100];
    row.worst = ours.back();
    return row;
}

} // namespace

std::vector<ShippedRow> shipped_rows(const std::filesystem::path& demo) {
    const Shipped hers = shipped(demo / "lamplighter.gait.yaml"), crossing = shipped(demo / "crossing.gait.yaml");
    std::vector<ShippedRow> rows;
    const auto on_and_on = [&](const char* name, float speed, std::optional<gait::PlainBody> body) {
        const gait::NumberParameter parameter = hers.loaded.character->number("speed");
        const auto new_inputs = [parameter, speed]() -> SetInputs {
            return [parameter, speed](gait::Performer& performer, std::size_t) { performer.set(parameter, speed); };
        };
        rows.push_back(row_of(name, 300, 600, {hers, new_inputs, body}));
    };
    gait::PlainBody body;
    body.speed = hers.loaded.character->number("speed");
    body.heading = hers.loaded.character->number("heading");
    on_and_on("standing", 0, {});
    on_and_on("strolling", 1.4F, {});
    on_and_on("planted", 1.4F, body);
    const auto by_cues = [&](const char* name, const Shipped& document, const char* sheet) {
        const gait::CueSheetRead read = gait::read_cue_sheet(demo / sheet);
        const auto new_inputs = [&]() -> SetInputs {
            gait::Diagnostics found;
            auto cues = std::make_shared<gait::CuePlayer>(read.sheet, *document.loaded.character, found);
            return
                [cues](gait::Performer& performer, std::size_t frame) { cues->apply(performer, double(frame) * dt); };
        };
        rows.push_back(row_of(name, 0, std::size_t(read.sheet.seconds / dt), {document, new_inputs}));
    };
    by_cues("round", hers, "round.cues.yaml");
    by_cues("evening", hers, "evening.cues.yaml");
    by_cues("crossing", crossing, "crossing.cues.yaml");
    return rows;
}

} // namespace bench
