#include "performance.hpp"

#include "gait/carry_over.hpp"
#include "gait/inspect.hpp"
#include "gait/space.hpp"

#include "perform/block_of.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <set>

namespace gait::stage {
namespace {

constexpr std::int64_t kept_every = frames_per_second / 2;
constexpr std::size_t most_written = 400'000;
/// Metres a second squared: how fast a driven body changes its speed.
constexpr double change_of_speed = 5;
/// The watch is begun anew so often, so that what it keeps stays small.
constexpr std::int64_t frames_watched = 20 * frames_per_second;

double seconds_at(std::int64_t frame) { return double(frame) / frames_per_second; }

bool is_held(ParameterKind kind) { return kind != ParameterKind::signal; }

} // namespace

Steering steering_of(const Character& character) {
    Steering steering;
    const auto parameters = character.parameters();
    for (std::uint16_t state = 0; state < character.states().size() && !steering.speed; ++state) {
        const auto space = blend_space(character, StateHandle{state});
        if (!space) { continue; }
        NumberParameter speed, heading;
        for (std::uint16_t p = 0; p < parameters.size(); ++p) {
            const bool steers = std::find(space->parameters.begin(), space->parameters.end(), parameters[p].name) !=
                                space->parameters.end();
            if (!steers || parameters[p].computed) { continue; }
            if (parameters[p].kind == ParameterKind::number && parameters[p].unit == "m/s") { speed = {p}; }
            if (parameters[p].kind == ParameterKind::angle) { heading = {p}; }
        }
        if (!speed) { continue; }
        steering.speed = speed;
        steering.heading = space->parameters.size() == 2 ? heading : NumberParameter{};
        // As fast as the fastest of its clips goes.
        for (const SpacePoint& point : space->points) {
            const double goes = space->velocities               ? std::hypot(point.drawn[0], point.drawn[1])
                                : space->parameters.size() == 1 ? point.at[0]
                                                                : double(parameters[speed.index].high);
            steering.top_speed = std::max(steering.top_speed, float(goes));
        }
    }
    if (!steering.speed) { return steering; }
    steering.top_speed = std::min(steering.top_speed, parameters[steering.speed.index].high);
    steering.allowed = character.number_value("top_speed");
    return steering;
}

Performance::Performance(std::shared_ptr<const Loaded> loaded, const std::optional<CueSheet>& sheet)
    : loaded_(std::move(loaded)), now_{Performer(loaded_->character), {}, Facing(), {}, 0, std::nullopt, std::nullopt},
      model_(loaded_->character->joint_count()) {
    if (sheet) {
        Diagnostics problems;
        now_.cues.emplace(*sheet, *loaded_->character, problems);
        now_.cues->apply(now_.performer, 0);
    }
    reload(loaded_);
}

std::vector<std::string> Performance::reload(std::shared_ptr<const Loaded> loaded) {
    std::vector<std::string> gone;
    if (loaded != loaded_) {
        CarriedOver carried = carry_over(now_.performer, loaded->character);
        now_.performer = std::move(carried.performer);
        now_.cues.reset(); // it goes by the places of the old document's parameters
        now_.drive.reset();
        gone = std::move(carried.gone);
        loaded_ = std::move(loaded);
        written_.clear(); // which means the old one's parameters, too
        too_much_written_ = shown_.frame > 0;
    }
    const Character& character = *loaded_->character;
    model_.resize(character.joint_count());
    steering_ = steering_of(character);
    body_ = PlainBody{steering_.speed, steering_.heading, {}, 90};
    plants_ = bool(steering_.speed) || !character.data().walks_in_place();
    soles_.emplace(character.rig());
    foot_names_.clear();
    for (const detail::Foot& foot : soles_->feet()) {
        foot_names_.push_back(character.rig().joints[std::size_t(foot.ankle)].name);
    }
    kept_.clear();
    asked_.clear();
    newest_ = shown_.frame;
    look_at_feet();
    begin_watch();
    keep();
    return gone;
}

void Performance::begin_watch() {
    watch_.emplace(now_.performer);
    watched_from_ = shown_.frame;
}

void Performance::keep() { kept_.push_back({shown_.frame, now_, shown_}); }

void Performance::forget_after(std::int64_t frame) {
    while (!kept_.empty() && kept_.back().frame > frame) { kept_.pop_back(); }
    while (!asked_.empty() && asked_.back().frame > frame) { asked_.pop_back(); }
    while (!written_.empty() && written_.back().frame > frame) { written_.pop_back(); }
    if (newest_ > frame) { begin_watch(); }
    newest_ = frame;
}

void Performance::ask(const Input& input) {
    if (shown_.frame < newest_) {
        // What was asked of the present frame then is not asked again.
        while (!asked_.empty() && asked_.back().frame >= shown_.frame) { asked_.pop_back(); }
        while (!written_.empty() && written_.back().frame >= shown_.frame) { written_.pop_back(); }
        forget_after(shown_.frame);
    }
    asked_.push_back({shown_.frame, input});
}

void Performance::set(std::uint16_t parameter, float value) {
    const ParameterInfo& info = character().parameters()[parameter];
    switch (info.kind) {
    case ParameterKind::flag:
        now_.performer.set(FlagParameter{parameter}, value != 0);
        break;
    case ParameterKind::choice:
        if (value >= 0 && std::size_t(value) < info.of.size()) {
            now_.performer.set(ChoiceParameter{parameter}, info.of[std::size_t(value)]);
        }
        break;
    default:
        now_.performer.set(NumberParameter{parameter}, value);
        break;
    }
}

void Performance::take(const Input& input) {
    switch (input.kind) {
    case Input::Kind::set:
        set(input.what, input.value);
        break;
    case Input::Kind::send:
        now_.performer.send(SignalParameter{input.what});
        shown_.sent.push_back(input.what);
        break;
    case Input::Kind::enter:
        now_.performer.enter(StateHandle{input.what}, double(input.value));
        break;
    case Input::Kind::drive:
        if (!now_.drive) { now_.driven_speed = double(now_.performer.get(steering_.speed)); }
        now_.drive = input.drive;
        break;
    case Input::Kind::let_go:
        now_.drive.reset();
        break;
    }
}

void Performance::steer() {
    if (!now_.drive || !steering_.speed) { return; }
    float top = steering_.top_speed;
    if (steering_.allowed) {
        const float allowed = now_.performer.get(steering_.allowed);
        if (allowed > 0 || character().values()[steering_.allowed.index].default_value > 0) {
            top = std::min(top, allowed);
        }
    }
    const auto wanted = heading_of(now_.drive->stick, double(now_.drive->camera_heading));
    constexpr double dt = 1.0 / frames_per_second;
    now_.facing.turn(wanted, dt);
    now_.asked =
        motion_of(now_.drive->stick, double(now_.drive->camera_heading), now_.facing.heading(), top, now_.asked);
    const double most = change_of_speed * dt;
    now_.driven_speed += std::clamp(double(now_.asked.speed) - now_.driven_speed, -most, most);
    now_.performer.set(steering_.speed, float(now_.driven_speed));
    if (steering_.heading) { now_.performer.set(steering_.heading, now_.asked.heading); }
}

void Performance::play() {
    const bool anew = shown_.frame < newest_; // it was played before
    const double from = seconds_at(shown_.frame), dt = seconds_at(shown_.frame + 1) - from;
    shown_.sent.clear();
    const auto parameters = character().parameters();
    before_.resize(parameters.size());
    const float* raw = detail::block_of(now_.performer).raw();
    for (std::size_t p = 0; p < before_.size(); ++p) {
        before_[p] = shown_.frame > 0 ? raw[p] : parameters[p].default_value;
    }
    if (now_.cues) {
        now_.cues->apply(now_.performer, from);
        for (const std::uint16_t signal : now_.cues->sent()) { shown_.sent.push_back(signal); }
    }
    const auto first = std::lower_bound(asked_.begin(), asked_.end(), shown_.frame,
                                        [](const Asked& a, std::int64_t frame) { return a.frame < frame; });
    for (auto one = first; one != asked_.end() && one->frame == shown_.frame; ++one) { take(one->input); }
    steer();
    if (!anew && !too_much_written_) {
        for (std::uint16_t p = 0; p < parameters.size(); ++p) {
            if (is_held(parameters[p].kind) && !parameters[p].computed && raw[p] != before_[p]) {
                written_.push_back({shown_.frame, {Input::Kind::set, p, raw[p], {}}});
            }
        }
        for (const std::uint16_t signal : shown_.sent) {
            written_.push_back({shown_.frame, {Input::Kind::send, signal, 0, {}}});
        }
        for (auto one = first; one != asked_.end() && one->frame == shown_.frame; ++one) {
            if (one->input.kind == Input::Kind::enter) { written_.push_back({shown_.frame, one->input}); }
        }
        too_much_written_ = written_.size() > most_written;
    }
    if (!anew) { earlier_ = now_.performer; }
    now_.performer.advance(dt, passed_);
    const double turned_before = now_.facing.heading();
    const auto mover = [&](const Performer& moved, double seconds) {
        Travel travel =
            now_.cues && now_.cues->moves_body() ? now_.cues->move(moved, seconds) : body_.move(moved, seconds);
        if (now_.drive) { travel.turn += float(now_.facing.turn_rate() * seconds); }
        return travel;
    };
    Travel travel = mover(now_.performer, dt);
    if (now_.drive) {
        // As far as the facing turned in this step; what the clips turn it by is theirs.
        travel.turn = now_.performer.travel().turn + float(wrapped_heading(turned_before - now_.place.heading));
        now_.facing.add(double(now_.performer.travel().turn));
    }
    if (plants_) { now_.performer.plant_feet(travel); }
    shown_.travel = travel;
    now_.place.add(travel);
    if (!now_.drive) { now_.facing.set(now_.place.heading); }
    ++shown_.frame;
    shown_.events.clear();
    for (const Event& event : passed_.events()) {
        if (event.what != no_index) { shown_.events.push_back(event); }
    }
    look_at_feet();
    if (anew) {
        shown_.jolt = shown_.seam = 0;
        shown_.pop = {};
        return;
    }
    watch_->step(*earlier_, dt, now_.performer, plants_ ? BodyMover(mover) : BodyMover());
    shown_.jolt = watch_->pop().last_jolt();
    shown_.pop = watch_->pop().last();
    shown_.seam = watch_->last_seam_degrees();
    newest_ = shown_.frame;
    if (newest_ % kept_every == 0) { keep(); }
    while (kept_.size() > 1 && kept_[1].frame <= newest_ - frames_kept) { kept_.pop_front(); }
    while (!asked_.empty() && asked_.front().frame < kept_.front().frame) { asked_.pop_front(); }
    if (newest_ - watched_from_ >= frames_watched && now_.performer.instance_count() == 1) { begin_watch(); }
}

void Performance::go_to(std::int64_t frame) {
    const std::int64_t wanted = std::clamp(frame, oldest(), newest_);
    if (wanted < shown_.frame || wanted > shown_.frame + kept_every) {
        const auto later = std::upper_bound(kept_.begin(), kept_.end(), wanted,
                                            [](std::int64_t f, const Kept& kept) { return f < kept.frame; });
        const Kept& from = *std::prev(later);
        now_ = from.moment;
        shown_ = from.shown;
    }
    while (shown_.frame < wanted) { play(); }
}

void Performance::look_at_feet() {
    now_.performer.model_pose(model_);
    constexpr float down = 0.02F; // metres
    shown_.feet_down.clear();
    for (std::size_t f = 0; f < soles_->feet().size(); ++f) {
        const auto [heel, ball] = soles_->at(f, model_);
        shown_.feet_down.push_back(std::min(heel.y, ball.y) < down);
    }
}

std::vector<Snap> Performance::take_flaws() {
    std::vector<Snap> flaws;
    double newest = flaws_until_;
    for (const Snap& snap : watch_->transitions()) {
        newest = std::max(newest, snap.time);
        if (snap.time > flaws_until_ && snap.ratio > snap_ratio_bound) { flaws.push_back(snap); }
    }
    flaws_until_ = newest;
    return flaws;
}

} // namespace gait::stage
