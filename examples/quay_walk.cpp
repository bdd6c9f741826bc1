// A game loop without a screen: a stick, gravity and a quay drive the lamplighter. Writes her path as .csv, a picture
// of it from above as .svg, and all of it as one animation in a .glb.
//
//   quay_walk [DOCUMENT] [--out NAME] [--game-driven]
#include <gait/gait.hpp>

#include <algorithm>
#include <array>
#include <cmath>
#include <cstdio>
#include <filesystem>
#include <fstream>
#include <string>
#include <vector>

namespace {

constexpr double frame = 1.0 / 60;       // seconds
constexpr double gravity = 9.81;         // metres a second squared
constexpr double hop_speed = 3.1;        // metres a second, upward
constexpr float stroll_speed = 1.4F;     // metres a second
constexpr double turn_at_parameter = 90; // degrees a second where the document's `turning` is 1

// ---- the quay: flat stone with two mooring gaps across the way, and a lower landing beyond ----

constexpr std::array<std::pair<double, double>, 2> gaps{{{9.0, 9.5}, {27.5, 28.0}}}; // metres along the quay
constexpr double ledge = 34, drop = 1.6;                                             // metres

double ground_at(gait::Vec3 place) { return double(place.z) > ledge ? -drop : 0; }

bool over_gap(gait::Vec3 place) {
    return std::any_of(gaps.begin(), gaps.end(),
                       [&](const auto& gap) { return double(place.z) > gap.first && double(place.z) < gap.second; });
}

/// Whether a gap begins within the next `ahead` metres of somebody who goes along the quay.
bool gap_ahead(gait::Vec3 place, gait::Vec3 velocity, double ahead) {
    return velocity.z > 0.5F && std::any_of(gaps.begin(), gaps.end(), [&](const auto& gap) {
               return double(place.z)<gap.first&& double(place.z) + ahead> gap.first;
           });
}

// ---- what the player does ----

struct Held {
    double until; // seconds
    gait::Stick stick;
    float top_speed;
    bool watches_boat; // she keeps facing a boat and steps sideways
};

constexpr gait::Vec3 boat{-8, 0, 17.5}; // out on the water, to her right

/// The player's hands: the stick and how hard she is driven.
Held held_at(double time) {
    static const std::array<Held, 14> script{{{1.0, {0, 0}, stroll_speed, false},
                                              {5.5, {0, 1}, stroll_speed, false}, // along the quay
                                              {7.8, {0, 1}, 2.6F, false}, // and with a run-up over the first gap
                                              {9.0, {0, 1}, stroll_speed, false},
                                              {12.0, {0.7F, 0.7F}, stroll_speed, false}, // aslant toward the water
                                              {14.0, {0, 0}, stroll_speed, false},       // she stops on the right foot
                                              {18.0, {0, 1}, 0.7F, true},                // sidesteps, facing a boat
                                              {19.5, {0, 0}, 0.7F, true},
                                              {23.0, {-0.7F, 0.7F}, 2.6F, false},   // a trot back from the edge
                                              {26.5, {0, 1}, 2.6F, false},          // over the second gap
                                              {31.0, {0, 1}, 4.2F, false},          // a run off the ledge: she rolls
                                              {33.0, {0, -1}, stroll_speed, false}, // and turns about
                                              {36.0, {0, 0}, stroll_speed, false},
                                              {1e9, {0, 0}, stroll_speed, false}}};
    return *std::find_if(script.begin(), script.end(), [&](const Held& held) { return time < held.until; });
}

// ---- her body in the game's world ----

struct Walker {
    gait::Vec3 place;    // metres
    gait::Vec3 velocity; // metres a second
    gait::Facing facing;
    bool in_air = false;
    bool jumps = false; // her feet are about to leave the ground
};

struct Step {
    double time;
    gait::GroundPlace place;
    std::string state;
    float speed;
};

class QuayWalk {
public:
    QuayWalk(std::shared_ptr<const gait::Character> character, bool game_driven)
        : character_(std::move(character)), her_(character_), prints_(character_->rig()),
          pose_(character_->joint_count()), game_driven_(game_driven) {
        if (game_driven_) { her_.set_moved_by(gait::Mover::game); }
    }

    void run(double seconds) {
        for (int f = 0; f * frame < seconds; ++f) {
            const double time = f * frame;
            think(held_at(time));
            her_.advance(frame, events_);
            move();
            remember(time);
        }
    }

    [[nodiscard]] const std::vector<Step>& steps() const { return steps_; }
    [[nodiscard]] const gait::BakedMotion& motion() const { return motion_; }
    [[nodiscard]] std::vector<gait::Footprint> prints() const { return prints_.all(); }
    [[nodiscard]] const gait::Pop& worst_pop() const { return pops_.worst(); }

private:
    [[nodiscard]] bool is_in(const char* state) const { return her_.is_active(character_->state(state)); }

    /// What the stick asks for becomes the parameters.
    void think(const Held& held) {
        const float strength = gait::strength_of(held.stick);
        const auto wanted = gait::heading_of(held.stick, 0);
        const float top = std::min(held.top_speed, her_.get(character_->number_value("top_speed")));
        const bool stands = is_in("still"), steps_off = is_in("setting_off");
        // She faces where she goes, or the boat; let go, she keeps her facing. On the spot her clips turn her, if they
        // may.
        const auto look = held.watches_boat ? gait::heading_to(walker_.place, boat) : wanted;
        const bool turns_by_clip = !game_driven_ && (is_in("turning_left") || is_in("turning_right"));
        const float off = look ? walker_.facing.error(double(*look)) : 0;
        const bool turn_first = stands && std::fabs(off) > 50 && !held.watches_boat;
        her_.set("aside", turn_first ? off : 0.0F);
        if (game_driven_ || (!turns_by_clip && !turn_first)) {
            walker_.facing.turn(walker_.in_air ? std::nullopt : look, frame);
        }
        her_.set("turning", float(std::clamp(walker_.facing.turn_rate() / turn_at_parameter, -1.0, 1.0)));

        asked_ = gait::motion_of(held.stick, 0, walker_.facing.heading(), top, asked_);
        const bool strolls = is_in("moving") && her_.smoothed(character_->number("speed")) > 1.0F;
        if (strength > 0 && stands && !turn_first && !turns_by_clip && !held.watches_boat && top < 2) {
            her_.send("set_off");
        }
        stopping_ = strength > 0 ? false : stopping_ || (strolls && std::fabs(asked_.heading) < 30);
        if (stopping_ && !is_in("moving")) { stopping_ = false; }
        her_.set("stopping", stopping_);
        // With a last step of her own to come she keeps her pace until it does. Speed changes as a body can.
        const float goal = stopping_ ? std::max(driven_, 1.0F) : turn_first ? 0 : asked_.speed;
        constexpr float change = 5 * float(frame); // five metres a second squared
        driven_ += std::clamp(goal - driven_, -change, change);
        if (steps_off) { driven_ = std::max(driven_, stroll_speed); }
        if (is_in("stopping_left") || is_in("stopping_right")) { driven_ = 0; }
        her_.set("speed", driven_);
        her_.set("heading", asked_.heading);

        const gait::BodyMotion body = gait::motion_of(walker_.velocity, walker_.facing.heading());
        her_.set("airborne", walker_.in_air);
        her_.set("fall_speed", body.fall_speed);
        // She leaps off the next foot that comes down.
        if (!walker_.in_air && !walker_.jumps && gap_ahead(walker_.place, walker_.velocity, 0.63 * body.speed)) {
            her_.send("hop");
            walker_.jumps = true;
        }
    }

    /// Her clips carry her as far as they can; the game does the rest: the pace, the jump, the fall.
    void move() {
        const gait::Travel travel = her_.travel();
        const gait::Vec3 before = walker_.place;
        gait::GroundPlace place{double(before.x), double(before.y), double(before.z), walker_.facing.heading()};
        place.add(travel);
        walker_.facing.add(double(travel.turn));
        if (!walker_.in_air) {
            // As smoothed as her legs are, from where she faces.
            const gait::Vec3 wanted =
                gait::steered_velocity(her_, character_->number("speed"), character_->number("heading")).value();
            const double rest = frame * (1 - double(travel.share));
            const gait::Vec3 ahead = gait::direction_of(walker_.facing.heading());
            place.x += rest * double(wanted.x * ahead.z + wanted.z * ahead.x);
            place.z += rest * double(wanted.z * ahead.z - wanted.x * ahead.x);
            walker_.velocity = {float((place.x - double(before.x)) / frame), 0,
                                float((place.z - double(before.z)) / frame)};
            for (const gait::Event& event : events_.events()) {
                if (event.kind == gait::EventKind::mark && character_->marks()[event.what] == "feet_off") {
                    walker_.velocity.y = float(hop_speed);
                    walker_.in_air = true;
                }
            }
            if (over_gap(walker_.place) || double(walker_.place.y) > ground_at(walker_.place) + 0.05) {
                walker_.in_air = true;
            }
        } else {
            walker_.velocity.y -= float(gravity * frame);
            place = {double(before.x) + double(walker_.velocity.x) * frame,
                     double(before.y) + double(walker_.velocity.y) * frame,
                     double(before.z) + double(walker_.velocity.z) * frame, 0};
            const gait::Vec3 there{float(place.x), float(place.y), float(place.z)};
            if (walker_.velocity.y < 0 && place.y <= ground_at(there) && !over_gap(there)) {
                place.y = ground_at(there);
                walker_.in_air = walker_.jumps = false;
                walker_.velocity.y = 0;
            }
        }
        walker_.place = {float(place.x), float(place.y), float(place.z)};
    }

    void remember(double time) {
        const gait::GroundPlace place{double(walker_.place.x), double(walker_.place.y), double(walker_.place.z),
                                      walker_.facing.heading()};
        // Wherever the body has come to by now: her feet stay on the ground where they came down.
        if (!steps_.empty()) { her_.plant_feet(gait::step_between(steps_.back().place, place)); }
        steps_.push_back(
            {time, place, std::string(her_.state_name()), std::hypot(walker_.velocity.x, walker_.velocity.z)});
        pops_.add(her_);
        her_.model_pose(pose_);
        prints_.add(time, pose_, place);
        her_.pose(pose_);
        motion_.frames.push_back(pose_);
        for (std::size_t j = 0; j < pose_.size(); ++j) {
            gait::Transform& joint = motion_.frames.back()[j];
            if (character_->rig().joints[j].parent < 0) { joint = place.transform() * joint; }
        }
    }

    std::shared_ptr<const gait::Character> character_;
    gait::Performer her_;
    gait::EventList events_;
    Walker walker_;
    gait::BodyMotion asked_;
    float driven_ = 0; // metres a second
    bool stopping_ = false;
    gait::Footprints prints_;
    gait::PopMeter pops_{her_};
    std::vector<gait::Transform> pose_;
    bool game_driven_;
    std::vector<Step> steps_;
    gait::BakedMotion motion_{"quay_walk", 1 / frame, {}};
};

// ---- what is written ----

void write_path(const std::vector<Step>& steps, const std::string& path) {
    std::ofstream out(path);
    out << "time_s,x_m,y_m,z_m,heading_deg,speed_m_per_s,state\n";
    for (const Step& step : steps) {
        out << step.time << ',' << step.place.x << ',' << step.place.y << ',' << step.place.z << ','
            << step.place.heading << ',' << step.speed << ',' << step.state << '\n';
    }
}

/// From above, along the quay to the right of the page: one metre is 25 units.
void write_picture(const std::vector<Step>& steps, const std::vector<gait::Footprint>& prints,
                   const std::string& path) {
    constexpr double scale = 25, left = 60, middle = 420;
    const auto x = [](double z) { return left + scale * z; };
    const auto y = [](double across) { return middle - scale * across; };
    static const std::array<const char*, 6> colours{"#0072b2", "#e69f00", "#009e73", "#cc79a7", "#d55e00", "#56b4e9"};
    std::ofstream out(path);
    out << "<svg xmlns='http://www.w3.org/2000/svg' viewBox='0 0 1280 800' font-family='DejaVu Sans' font-size='13' "
           "stroke='none'>\n"
           "<rect width='1280' height='800' fill='#cfe3ec'/>\n"
        << "<rect x='" << x(-2) << "' y='" << y(5.5) << "' width='" << scale * (ledge + 2) << "' height='"
        << scale * 10.5 << "' fill='#efece6'/>\n<rect x='" << x(ledge) << "' y='" << y(5.5) << "' width='"
        << scale * 16.5 << "' height='" << scale * 10.5 << "' fill='#ddd6c8'/>\n";
    for (const auto& [from, to] : gaps) {
        out << "<rect x='" << x(from) << "' y='" << y(5.5) << "' width='" << scale * (to - from) << "' height='"
            << scale * 10.5 << "' fill='#9fc3d4'/>\n";
    }
    for (const gait::Footprint& print : prints) {
        out << "<circle cx='" << x(double(print.place.z)) << "' cy='" << y(double(print.place.x)) << "' r='2.6' fill='"
            << (print.foot == 0 ? "#ed992e" : "#3875b8") << "' stroke='#333' stroke-width='0.4'/>\n";
    }
    std::vector<std::string> named;
    for (std::size_t i = 0; i < steps.size();) {
        std::size_t end = i;
        // Short pieces: some viewers close a long open path.
        while (end + 1 < steps.size() && end - i < 20 && steps[end + 1].state == steps[i].state) { ++end; }
        auto known = std::find(named.begin(), named.end(), steps[i].state);
        if (known == named.end()) { known = named.insert(named.end(), steps[i].state); }
        const auto colour = std::size_t(known - named.begin());
        out << "<path fill='none' stroke-width='2.2' stroke='" << colours[colour % colours.size()] << "'"
            << (colour >= colours.size() ? " stroke-dasharray='5 3'" : "") << " d='";
        for (std::size_t p = i; p <= std::min(end + 1, steps.size() - 1); ++p) {
            out << (p == i ? 'M' : 'L') << x(steps[p].place.z) << ',' << y(steps[p].place.x) << ' ';
        }
        out << "'/>\n";
        i = end + 1;
    }
    for (std::size_t i = 0; i < steps.size(); i += 60) {
        const gait::Vec3 ahead = gait::direction_of(steps[i].place.heading) * 0.45F;
        const double px = x(steps[i].place.z), py = y(steps[i].place.x);
        out << "<line x1='" << px << "' y1='" << py << "' x2='" << px + scale * double(ahead.z) << "' y2='"
            << py - scale * double(ahead.x) << "' stroke='#222' stroke-width='1.4'/>\n<circle cx='" << px << "' cy='"
            << py << "' r='2' fill='#222'/>\n";
    }
    out << "<text x='" << x(double(boat.z)) << "' y='" << y(double(boat.x)) << "' text-anchor='middle'>a boat</text>\n"
        << "<text x='" << left << "' y='40' font-size='17'>The lamplighter on the quay, from above</text>\n"
        << "<text x='" << left
        << "' y='62'>The darker strips are mooring gaps, the darker ground lies 1.6 m lower. A stroke "
           "a second says where she faces; dots are footprints, left orange and right blue.</text>\n";
    for (std::size_t n = 0; n < named.size(); ++n) {
        const double at = 90 + 19 * double(n % 4), across = left + 230 * std::floor(double(n) / 4);
        out << "<line x1='" << across << "' y1='" << at << "' x2='" << across + 28 << "' y2='" << at
            << "' stroke-width='3' stroke='" << colours[n % colours.size()] << "'"
            << (n >= colours.size() ? " stroke-dasharray='5 3'" : "") << "/><text x='" << across + 36 << "' y='"
            << at + 5 << "'>" << named[n] << "</text>\n";
    }
    out << "<line x1='" << x(0) << "' y1='760' x2='" << x(5) << "' y2='760' stroke='#222' stroke-width='2'/><text x='"
        << x(0) << "' y='780'>5 m</text>\n</svg>\n";
}

} // namespace

int main(int argument_count, char** arguments) {
    std::string document = "demo/lamplighter.gait.yaml", out = "quay_walk";
    bool game_driven = false;
    for (int i = 1; i < argument_count; ++i) {
        const std::string argument = arguments[i];
        if (argument == "--game-driven") {
            game_driven = true;
        } else if (argument == "--out" && i + 1 < argument_count) {
            out = arguments[++i];
        } else if (argument.starts_with("-")) {
            std::fputs("usage: quay_walk [DOCUMENT] [--game-driven] [--out PREFIX]\n", stderr);
            return 2;
        } else {
            document = argument;
        }
    }
    const gait::Loaded loaded = gait::load(document);
    std::fputs(gait::format(loaded.diagnostics).c_str(), stderr);
    if (!loaded.character) { return 1; }

    QuayWalk walk(loaded.character, game_driven);
    walk.run(37);

    std::string state;
    const auto rounded = [](double value, double to) { return std::round(value / to) * to + 0.0; }; // no -0
    for (const Step& step : walk.steps()) {
        if (step.state == state) { continue; }
        state = step.state;
        std::printf("%6.2f s  %-15s at (%6.2f, %5.2f, %6.2f) m, facing %4.0f deg\n", step.time, state.c_str(),
                    rounded(step.place.x, 0.01), rounded(step.place.y, 0.01), rounded(step.place.z, 0.01),
                    rounded(step.place.heading, 1));
    }
    write_path(walk.steps(), out + ".csv");
    write_picture(walk.steps(), walk.prints(), out + ".svg");
    const std::filesystem::path rig = std::filesystem::path(document).parent_path() / loaded.document.rig.value;
    const gait::Diagnostics problems = gait::bake_gltf(rig, walk.motion(), out + ".glb");
    std::fputs(gait::format(problems).c_str(), stderr);
    double worst = 0;
    for (const gait::Footprint& print : walk.prints()) { worst = std::max(worst, print.slide); }
    std::printf("\nthe hardest jolt of a joint is %.2f times the usual one, where 2 would show\n",
                walk.worst_pop().ratio);
    std::printf("%zu footprints, the worst slides by %.0f mm; wrote %s.csv, %s.svg and %s.glb\n", walk.prints().size(),
                1000 * worst, out.c_str(), out.c_str(), out.c_str());
    return gait::has_errors(problems) ? 1 : 0;
}
