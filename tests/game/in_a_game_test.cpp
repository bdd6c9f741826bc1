#include "gait/gait.hpp"
#include "gait/refused_call.hpp"
#include "perform/block_of.hpp"
#include "perform/fetch_ahead.hpp"
#include "support.hpp"

#include <catch2/catch.hpp>
#include <nlohmann/json.hpp>

#include <cmath>
#include <cstring>
#include <limits>
#include <set>
#include <stdexcept>

using namespace gait;
using nlohmann::json;

namespace {

/// The demo's skin as a game's own loader would read it.
struct Skin {
    std::vector<std::string> joints;
    std::vector<Matrix4> inverse_bind;
    std::vector<Vec3> places;                     ///< of vertices
    std::vector<std::array<std::uint16_t, 4>> by; ///< joints of the skin
    std::vector<std::array<float, 4>> weights;
};

template <typename Value> Value read_at(const std::string& bytes, std::size_t at) {
    Value value;
    std::memcpy(&value, bytes.data() + at, sizeof value);
    return value;
}

Skin demo_skin() {
    const std::string file = support::read(support::project() / "demo/lamplighter.glb");
    const std::size_t length = read_at<std::uint32_t>(file, 12), binary = 20 + length + 8;
    const json scene = json::parse(file.substr(20, length));
    const auto start_of = [&](int accessor) {
        const json& a = scene["accessors"][std::size_t(accessor)];
        const json& view = scene["bufferViews"][a["bufferView"].get<std::size_t>()];
        return binary + view.value("byteOffset", std::size_t{0}) + a.value("byteOffset", std::size_t{0});
    };
    Skin skin;
    const json& first = scene["skins"][0];
    for (const json& node : first["joints"]) { skin.joints.push_back(scene["nodes"][node.get<std::size_t>()]["name"]); }
    const std::size_t binds = start_of(first["inverseBindMatrices"]);
    for (std::size_t j = 0; j < skin.joints.size(); ++j) {
        skin.inverse_bind.push_back(read_at<Matrix4>(file, binds + j * sizeof(Matrix4)));
    }
    const json& attributes = scene["meshes"][0]["primitives"][0]["attributes"];
    const int places = attributes["POSITION"], by = attributes["JOINTS_0"], weights = attributes["WEIGHTS_0"];
    const bool bytes = scene["accessors"][std::size_t(by)]["componentType"] == 5121;
    REQUIRE(scene["accessors"][std::size_t(weights)]["componentType"] == 5126);
    for (std::size_t v = 0; v < scene["accessors"][std::size_t(places)]["count"].get<std::size_t>(); ++v) {
        skin.places.push_back(read_at<Vec3>(file, start_of(places) + v * 12));
        std::array<std::uint16_t, 4> joints{};
        for (std::size_t i = 0; i < 4; ++i) {
            joints[i] = bytes ? read_at<std::uint8_t>(file, start_of(by) + v * 4 + i)
                              : read_at<std::uint16_t>(file, start_of(by) + v * 8 + 2 * i);
        }
        skin.by.push_back(joints);
        skin.weights.push_back(read_at<std::array<float, 4>>(file, start_of(weights) + v * 16));
    }
    return skin;
}

Vec3 placed(const Matrix4& m, Vec3 p) {
    const float* e = m.elements;
    return {e[0] * p.x + e[4] * p.y + e[8] * p.z + e[12], e[1] * p.x + e[5] * p.y + e[9] * p.z + e[13],
            e[2] * p.x + e[6] * p.y + e[10] * p.z + e[14]};
}

Vec3 skinned(const Skin& skin, std::size_t vertex, std::span<const Matrix4> palette) {
    Vec3 sum;
    for (std::size_t i = 0; i < 4; ++i) {
        sum = sum + placed(palette[skin.by[vertex][i]], skin.places[vertex]) * skin.weights[vertex][i];
    }
    return sum;
}

} // namespace

TEST_CASE("a skin is given its joints in its own order, as four rows or three") {
    const Loaded loaded = load(support::project() / "demo/lamplighter.gait.yaml");
    const Skin skin = demo_skin();
    Performer her(loaded.character);
    for (int frame = 0; frame < 90; ++frame) {
        her.set("speed", 3);
        her.advance(1.0 / 60);
    }
    const JointMap map(*loaded.character, skin.joints, skin.inverse_bind);
    REQUIRE(map.size() == skin.joints.size());
    CHECK(map.missing().empty());
    std::vector<Matrix4> model(her.character().joint_count()), palette(map.size()), by_rig(model.size());
    std::vector<Matrix3x4> rows(map.size());
    her.model_matrices(model);
    her.skinning_matrices(by_rig);
    REQUIRE(map.skinning_matrices(model, palette));
    REQUIRE(map.skinning_matrices(model, rows));
    std::size_t elsewhere = 0;
    for (std::size_t j = 0; j < map.size(); ++j) {
        elsewhere += map.joint(j) != j ? 1 : 0;
        const auto known = her.character().rig().find(skin.joints[j]);
        REQUIRE(known);
        // One joint alone, from another path.
        const Matrix4 expected = to_matrix(her.model_transform(std::size_t(*known))) * skin.inverse_bind[j];
        for (std::size_t row = 0; row < 3; ++row) {
            for (std::size_t column = 0; column < 4; ++column) {
                const float element = palette[j].elements[4 * column + row];
                CHECK(element == Approx(expected.elements[4 * column + row]).margin(1e-4));
                CHECK(element == rows[j].elements[4 * row + column]);
            }
        }
    }
    // The rig's own order is not the skin's: with it the mesh would be torn.
    CHECK(elsewhere > 0);
    double apart = 0, wrong = 0;
    for (std::size_t v = 0; v < skin.places.size(); v += 7) {
        Vec3 by_name;
        for (std::size_t i = 0; i < 4; ++i) {
            const auto joint = std::size_t(*her.character().rig().find(skin.joints[skin.by[v][i]]));
            by_name = by_name + placed(by_rig[joint], skin.places[v]) * skin.weights[v][i];
        }
        apart = std::max(apart, double(length(skinned(skin, v, palette) - by_name)));
        wrong = std::max(wrong, double(length(skinned(skin, v, by_rig) - by_name)));
    }
    CHECK(apart < 1e-4);
    CHECK(wrong > 0.1);
}

TEST_CASE("a skin's joints that the rig does not have are named, and too little room writes nothing") {
    const auto& character = support::lamplighter().character;
    const std::vector<std::string> names{"hips", "tail", "head"};
    const JointMap map(*character, names);
    REQUIRE(map.missing() == std::vector<std::string>{"tail"});
    CHECK(map.joint(1) == no_index);
    CHECK(map.joint(99) == no_index);
    Performer her(character);
    std::vector<Matrix4> model(character->joint_count()), out(3);
    her.model_matrices(model);
    REQUIRE(map.skinning_matrices(model, out));
    CHECK(std::memcmp(out[1].elements, Matrix4{}.elements, sizeof(Matrix4)) == 0);
    CHECK_FALSE(map.skinning_matrices(std::span(model).first(2), out));
    CHECK_FALSE(map.skinning_matrices(model, std::span(out).first(2)));
    CHECK(length(her.model_transform(60000).translation) == 0);
}

TEST_CASE("a crowd takes a step each, tells each one's events, and runs on a game's own threads") {
    const auto& character = support::lamplighter().character;
    std::vector<Performer> crowd, one_by_one;
    for (int i = 0; i < 40; ++i) {
        crowd.emplace_back(character);
        crowd.back().set("speed", 0.1 * i);
    }
    one_by_one = crowd;
    std::vector<EventList> told(crowd.size()), expected(crowd.size());
    std::vector<CrowdMember> members;
    std::vector<Performer*> pointers;
    for (std::size_t i = 0; i < crowd.size(); ++i) {
        members.push_back({&crowd[i], double(i % 3) / 60, i % 2 == 0 ? &told[i] : nullptr, i % 5 != 0});
        pointers.push_back(i == 3 ? nullptr : &crowd[i]);
    }
    members.push_back({}); // nobody
    int parts = 0;
    const RunInParts by_sevens = [&](std::size_t count, const auto& part) {
        for (std::size_t from = 0; from < count; from += 7, ++parts) { part(from, from + 7); }
    };
    for (int frame = 0; frame < 60; ++frame) {
        frame % 2 == 0 ? advance_all(members, by_sevens) : advance_all(members);
        advance_all(pointers, 1.0 / 120);
        for (std::size_t i = 0; i < one_by_one.size(); ++i) {
            one_by_one[i].advance(double(i % 3) / 60, expected[i]);
            if (i != 3) { one_by_one[i].advance(1.0 / 120); }
        }
        for (std::size_t i = 0; i < told.size(); i += 2) {
            REQUIRE(told[i].events().size() == expected[i].events().size());
        }
    }
    CHECK(parts == 30 * 6);
    for (std::size_t i = 0; i < crowd.size(); ++i) {
        CHECK(crowd[i].time() == one_by_one[i].time());
        CHECK(crowd[i].state() == one_by_one[i].state());
        std::vector<Transform> ours(character->joint_count()), theirs(ours);
        crowd[i].pose(ours);
        one_by_one[i].pose(theirs);
        CHECK(std::memcmp(ours.data(), theirs.data(), ours.size() * sizeof(Transform)) == 0);
    }
}

TEST_CASE("a large crowd of two characters, dealt out by turns, does what each would do alone, whatever it is doing") {
    const std::vector<SharedCharacter> casts{support::lamplighter().character,
                                             load(support::project() / "demo/crossing.gait.yaml").character};
    // More than are put in order at a time, in several parts.
    std::vector<Performer> crowd;
    for (std::size_t i = 0; i < 16500; ++i) {
        Performer& performer = crowd.emplace_back(casts[i % 2]);
        performer.set("speed", 0.01 * double(i % 400));
        if (i % 3 == 0) { performer.set_detail({.every = 1 + unsigned(i % 4)}); }
    }
    std::vector<Performer> one_by_one = crowd;
    std::vector<CrowdMember> members;
    for (std::size_t i = 0; i < crowd.size(); ++i) { members.push_back({&crowd[i], double(1 + i % 7) / 60}); }
    for (int frame = 0; frame < 12; ++frame) {
        for (std::size_t i = 0; i < crowd.size(); ++i) {
            for (Performer* performer : {&crowd[i], &one_by_one[i]}) {
                if (frame == 3) { performer->set("speed", 3); }
                if (frame == 6 && i % 5 == 0 && i % 2 == 0) { performer->send("hop"); }
            }
        }
        advance_all(members, RunInParts());
        for (std::size_t i = 0; i < crowd.size(); ++i) {
            one_by_one[i].advance(members[i].seconds);
            one_by_one[i].pose({});
        }
    }
    const auto differ = [](const Performer& a, const Performer& b) {
        return !std::ranges::equal(a.bytes(), b.bytes());
    };
    for (std::size_t i = 0; i < crowd.size(); ++i) { REQUIRE_FALSE(differ(crowd[i], one_by_one[i])); }
}

TEST_CASE("a crowd's performers of one character follow one another, and characters as they stand in the crowd") {
    std::vector<SharedCharacter> casts;
    for (const char* name : {"lamplighter", "crossing", "harbour_master"}) {
        casts.push_back(load(support::project() / "demo" / (name + std::string(".gait.yaml"))).character);
    }
    std::vector<Performer> crowd;
    std::vector<CrowdMember> members;
    for (std::size_t i = 0; i < 12; ++i) { crowd.emplace_back(casts[i % 3]); }
    for (Performer& performer : crowd) { members.push_back({&performer, -1}); }
    // Each refuses such a step as its turn comes.
    std::vector<const Performer*> came;
    hear_refusals(
        [](const RefusedCall& call, void* to) noexcept {
            static_cast<std::vector<const Performer*>*>(to)->push_back(&call.performer);
        },
        &came);
    advance_all(members, RunInParts());
    hear_refusals(nullptr);
    REQUIRE(came.size() == crowd.size());
    for (std::size_t i = 0; i < crowd.size(); ++i) { CHECK(came[i] == &crowd[i % 4 * 3 + i / 4]); }
}

TEST_CASE("of the lines that a frame of a crowd changes nearly all were asked for ahead, and few more than it needs") {
    const auto& character = support::lamplighter().character;
    struct Kind {
        double speed;
        bool pose;
        std::size_t most; ///< lines asked for
    };
    for (const Kind& kind : {Kind{1.4, true, 65}, Kind{1.4, false, 50}, Kind{0, true, 75}, Kind{4, true, 75}}) {
        Performer her(character);
        her.set("speed", kind.speed);
        for (int f = 0; f < 240; ++f) {
            her.advance(1.0 / 60);
            if (kind.pose) { her.pose({}); }
        }
        const detail::PerformerBlock block = detail::block_of(her);
        const auto* bytes = reinterpret_cast<const std::byte*>(&block.header());
        std::set<std::size_t> asked;
        const auto ask = [&](const std::byte* line) { asked.insert(std::size_t(line - bytes) / detail::cache_line); };
        const detail::LinesAhead lines(character->data(), block, kind.pose, ask);
        lines.what_all_read();
        lines.what_it_reads();
        if (kind.pose) { lines.what_a_pose_writes(); }
        const std::vector<std::byte> before(bytes, bytes + character->performer_bytes());
        her.advance(1.0 / 60);
        if (kind.pose) { her.pose({}); }
        std::size_t changed = 0, missed = 0;
        for (std::size_t at = 0; at < before.size(); at += detail::cache_line) {
            if (std::memcmp(bytes + at, before.data() + at, detail::cache_line) == 0) { continue; }
            ++changed;
            missed += asked.count(at / detail::cache_line) == 0 ? 1 : 0;
        }
        CAPTURE(kind.speed, kind.pose, changed, asked.size());
        CHECK(changed > 5);
        CHECK(missed == 0);
        CHECK(asked.size() <= kind.most);
        CHECK(*asked.rbegin() * detail::cache_line < before.size());
    }
}

TEST_CASE(
    "what every frame needs of a performer stands together at the end of its block, beside the next one's header") {
    for (const char* document : {"lamplighter.gait.yaml", "crossing.gait.yaml", "harbour_master.gait.yaml"}) {
        const Loaded loaded = load(support::project() / "demo" / document);
        REQUIRE(loaded.character);
        const Performer performer(loaded.character);
        const detail::PerformerBlock block = detail::block_of(performer);
        const auto* bytes = reinterpret_cast<const std::byte*>(&block.header());
        std::set<std::size_t> needed; // lines beyond the header
        const auto need = [&](const std::byte* line) {
            const auto at = std::size_t(line - bytes);
            if (at >= sizeof(detail::PerformerHeader)) { needed.insert(at / detail::cache_line); }
        };
        const detail::LinesAhead lines(loaded.character->data(), block, true, need);
        lines.what_all_read();
        lines.what_a_pose_writes();
        const std::size_t all = loaded.character->performer_bytes() / detail::cache_line;
        CAPTURE(document, needed.size(), *needed.begin(), all);
        CHECK(needed.size() > 15);
        // The rest of the pose, which few joints move, and of the layers' headers stands between.
        CHECK(double(all - *needed.begin()) <= 1.6 * double(needed.size()));
    }
}

TEST_CASE("a call that cannot be meant is refused where it is made") {
    const Loaded loaded = load(support::project() / "demo/lamplighter.gait.yaml");
    const Character& character = *loaded.character;
    Bindings bindings(character);
    CHECK_FALSE(bindings.number("speed", {}));
    CHECK_FALSE(bindings.flag("airborne", nullptr));
    CHECK_FALSE(bindings.signal("hop", {}));
    CHECK_FALSE(bindings.on_enter("legs.still", {}));
    bindings.on_event({});
    CHECK(bindings.number("speed", [] { return 1.4F; }));
    Performer her(loaded.character), other(support::lamplighter().character);
    CHECK(bindings.advance(her, 0.1));
    CHECK(her.get(character.number("speed")) == 1.4F);
    // Somebody else's parameters are others.
    CHECK_FALSE(bindings.advance(other, 0.1));
    CHECK(other.faults().refused_steps == 1);
    CHECK(other.time() == 0);
    CHECK(character.full_name(60000).empty());
    CHECK_THROWS_AS(SmoothnessWatch(her).snap(9), std::out_of_range);
    const float none = std::numeric_limits<float>::quiet_NaN();
    CHECK_FALSE(her.plant_feet({{0, none, 0}, 0, 0}));
    CHECK(her.faults().refused_values == 1);
}
