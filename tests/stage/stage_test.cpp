// The stage as whoever speaks to it meets it: the performance, the wire, and who is let in.
#include "files/gltf_maker.hpp"
#include "support.hpp"

#include "performance.hpp"
#include "wire.hpp"

#include "gait/stage.hpp"

#include <boost/asio/connect.hpp>
#include <boost/asio/io_context.hpp>
#include <boost/asio/ip/tcp.hpp>
#include <boost/beast/core.hpp>
#include <boost/beast/http.hpp>
#include <boost/beast/websocket.hpp>
#include <catch2/catch.hpp>

#include <chrono>
#include <cmath>
#include <cstring>
#include <random>
#include <thread>

using namespace gait;
using namespace gait::stage;
namespace beast = boost::beast;
namespace http = beast::http;
namespace websocket = beast::websocket;
using nlohmann::json;
using tcp = boost::asio::ip::tcp;

namespace {

std::shared_ptr<const Loaded> hers() {
    static const auto loaded = std::make_shared<const Loaded>(load(support::project() / "demo/lamplighter.gait.yaml"));
    REQUIRE(loaded->character);
    return loaded;
}

Input set(const char* name, float value) {
    const auto all = hers()->character->parameters();
    for (std::uint16_t p = 0; p < all.size(); ++p) {
        if (all[p].name == name) { return {Input::Kind::set, p, value, {}}; }
    }
    FAIL("no parameter " << name);
    return {};
}
Input send(const char* name) { return {Input::Kind::send, hers()->character->signal(name).index, 0, {}}; }

std::string bytes_of(const Performance& performance) {
    const auto bytes = performance.now().performer.bytes();
    return {reinterpret_cast<const char*>(bytes.data()), bytes.size()};
}

void play(Performance& performance, int frames) {
    for (int f = 0; f < frames; ++f) { performance.play(); }
}

/// Drags, presses and drives at random.
void ask_at_random(Performance& performance, std::mt19937& random) {
    std::uniform_real_distribution<float> unit(0, 1);
    if (unit(random) < 0.04F) { performance.ask(set("speed", 4 * unit(random))); }
    if (unit(random) < 0.02F) { performance.ask(set("awning", unit(random) < 0.4F ? 1 : 0)); }
    for (const char* signal : {"hop", "bell", "light", "greet"}) {
        if (unit(random) < 0.006F) { performance.ask(send(signal)); }
    }
    if (unit(random) < 0.01F) {
        performance.ask({Input::Kind::drive, 0, 0, {{unit(random) * 2 - 1, unit(random)}, 360 * unit(random)}});
    }
    if (unit(random) < 0.004F) { performance.ask({Input::Kind::let_go, 0, 0, {}}); }
    if (unit(random) < 0.004F) {
        performance.ask({Input::Kind::enter, hers()->character->state("legs.stretching").index, 0.3F, {}});
    }
}

struct Address {
    std::string host, port, path;
};
Address parts_of(const std::string& address) {
    const std::size_t colon = address.find(':', 7), slash = address.find('/', 7);
    return {address.substr(7, colon - 7), address.substr(colon + 1, slash - colon - 1), address.substr(slash)};
}

/// A stage that plays in a thread of its own.
class Running {
public:
    explicit Running(const StageDefinition& definition) : stage(definition), thread_([this] { stage.run(); }) {}
    ~Running() {
        stage.stop();
        thread_.join();
    }
    Running(const Running&) = delete;
    Running& operator=(const Running&) = delete;
    Stage stage;

private:
    std::thread thread_;
};

StageDefinition her_definition() {
    StageDefinition definition;
    definition.document = support::project() / "demo/lamplighter.gait.yaml";
    return definition;
}

/// A page without a browser.
class Client {
public:
    explicit Client(const std::string& address, const std::string& origin = {}, const std::string& host = {})
        : socket_(io_) {
        const Address to = parts_of(address);
        tcp::resolver resolver(io_);
        boost::asio::connect(beast::get_lowest_layer(socket_), resolver.resolve(to.host, to.port));
        socket_.set_option(websocket::stream_base::decorator([&](websocket::request_type& request) {
            if (!origin.empty()) { request.set(http::field::origin, origin); }
        }));
        socket_.read_message_max(0);
        socket_.handshake(host.empty() ? to.host + ":" + to.port : host, to.path + "live");
    }
    void ask(const json& message) { say(message.dump()); }
    void say(const std::string& text) { socket_.write(boost::asio::buffer(text)); }

    struct Heard {
        bool text = false;
        std::string bytes;
    };
    Heard hear() {
        beast::flat_buffer buffer;
        socket_.read(buffer);
        return {socket_.got_text(), beast::buffers_to_string(buffer.data())};
    }
    /// The next message that says so.
    json heard(const std::string& says) {
        for (int i = 0; i < 3000; ++i) {
            const Heard one = hear();
            if (!one.text) { continue; }
            json said = json::parse(one.bytes);
            if (said["says"] == says) { return said; }
        }
        FAIL("it never said " << says);
        return {};
    }
    /// The next frame for which `fits` holds.
    template <typename Fits> std::string frame(Fits fits) {
        for (int i = 0; i < 3000; ++i) {
            const Heard one = hear();
            if (!one.text && one.bytes.size() > 8 && one.bytes[0] == 1 && fits(one.bytes)) { return one.bytes; }
        }
        FAIL("no such frame came");
        return {};
    }

private:
    boost::asio::io_context io_;
    websocket::stream<tcp::socket> socket_;
};

std::int32_t number_of(const std::string& frame) {
    std::int32_t number = 0;
    std::memcpy(&number, frame.data() + 4, sizeof(number));
    return number;
}
std::string pose_of(const std::string& frame, std::size_t joints) { return frame.substr(frame.size() - joints * 28); }

http::response<http::string_body> answer_of(const std::string& address, const std::string& path,
                                            const std::string& host = {}, const std::string& origin = {}) {
    const Address to = parts_of(address);
    boost::asio::io_context io;
    tcp::socket socket(io);
    tcp::resolver resolver(io);
    boost::asio::connect(socket, resolver.resolve(to.host, to.port));
    http::request<http::empty_body> request(http::verb::get, path, 11);
    request.set(http::field::host, host.empty() ? to.host + ":" + to.port : host);
    if (!origin.empty()) { request.set(http::field::origin, origin); }
    http::write(socket, request);
    beast::flat_buffer buffer;
    http::response<http::string_body> answer;
    http::read(socket, buffer, answer);
    return answer;
}
unsigned status_of(const std::string& address, const std::string& path, const std::string& host = {},
                   const std::string& origin = {}) {
    return answer_of(address, path, host, origin).result_int();
}

} // namespace

TEST_CASE("a performance gone back to plays on to the bit, through everything that was asked of it") {
    Performance performance(hers(), std::nullopt);
    std::mt19937 random(11);
    std::vector<std::string> blocks{bytes_of(performance)};
    std::vector<double> ways{performance.now().place.z};
    for (int f = 0; f < 1500; ++f) {
        ask_at_random(performance, random);
        performance.play();
        blocks.push_back(bytes_of(performance));
        ways.push_back(performance.now().place.z);
    }
    std::uniform_int_distribution<std::int64_t> any(0, 1500);
    for (int i = 0; i < 25; ++i) {
        const std::int64_t to = any(random);
        performance.go_to(to);
        REQUIRE(performance.frame() == to);
        REQUIRE(bytes_of(performance) == blocks[std::size_t(to)]);
        REQUIRE(performance.now().place.z == ways[std::size_t(to)]);
    }
    performance.go_to(700);
    play(performance, 300);
    CHECK(bytes_of(performance) == blocks[1000]);
    CHECK(performance.newest() == 1500);
}

TEST_CASE("asked something in the past, what came after is forgotten") {
    Performance performance(hers(), std::nullopt);
    performance.ask(set("speed", 3));
    play(performance, 200);
    performance.go_to(60);
    performance.ask(set("speed", 0));
    play(performance, 240);
    CHECK(performance.newest() == 300);
    CHECK(performance.now().performer.state_name() == "still");
    performance.go_to(300);
    CHECK(performance.now().performer.state_name() == "still");
}

TEST_CASE("two minutes are kept, and no more") {
    Performance performance(hers(), std::nullopt);
    play(performance, 150 * frames_per_second);
    CHECK(performance.oldest() <= 30 * frames_per_second);
    CHECK(performance.oldest() >= 29 * frames_per_second);
    performance.go_to(0);
    CHECK(performance.frame() == performance.oldest());
}

TEST_CASE("what was done by hand becomes a cue sheet that plays the same transitions at the same times") {
    Performance performance(hers(), std::nullopt);
    std::mt19937 random(5);
    std::vector<std::pair<double, std::uint16_t>> taken;
    for (int f = 0; f < 1200; ++f) {
        ask_at_random(performance, random);
        performance.play();
        for (const TransitionRecord& t : performance.now().performer.transitions()) {
            taken.emplace_back(t.time, t.transition);
        }
    }
    REQUIRE(taken.size() > 20);
    const support::TemporaryFolder folder;
    const std::string cues = folder.write("by-hand.cues.yaml", performance.cue_sheet());
    const auto played = support::gait_tool(
        {"perform", (support::project() / "demo/lamplighter.gait.yaml").string(), "--cues", cues, "--json"});
    REQUIRE(played.err == "");
    const json told = json::parse(played.out)["transitions"];
    REQUIRE(told.size() == taken.size());
    for (std::size_t t = 0; t < taken.size(); ++t) {
        CAPTURE(t);
        CHECK(told[t]["time_s"].get<double>() == Approx(taken[t].first).margin(1e-9));
    }
}

TEST_CASE("a page is told the document, and sees her walk when it sets her speed") {
    const Running running(her_definition());
    Client page(running.stage.address());
    const json document = page.heard("document");
    CHECK(document["version"] == wire_version);
    CHECK(document["joints"].size() == hers()->character->joint_count());
    CHECK(document["plan"]["layers"].size() == hers()->character->layers().size());
    page.ask({{"ask", "set"}, {"name", "speed"}, {"value", 1.4}});
    const std::size_t joints = document["joints"].size();
    const std::string first = page.frame([](const std::string&) { return true; });
    const auto walked = [](const std::string& frame) {
        double z = 0;
        std::memcpy(&z, frame.data() + 32, sizeof(z));
        return z;
    };
    const std::string later = page.frame([&](const std::string& frame) { return walked(frame) > 0.5; });
    CHECK(number_of(later) > number_of(first) + 20);
    CHECK(pose_of(first, joints) != pose_of(later, joints));
}

TEST_CASE("gone back on the wire the same frame comes again, byte for byte") {
    const Running running(her_definition());
    Client page(running.stage.address());
    const std::size_t joints = page.heard("document")["joints"].size();
    page.ask({{"ask", "set"}, {"name", "speed"}, {"value", 2.2}});
    const std::string then = page.frame([](const std::string& frame) { return number_of(frame) >= 70; });
    page.frame([](const std::string& frame) { return number_of(frame) >= 110; });
    page.ask({{"ask", "pause"}});
    page.ask({{"ask", "go_to"}, {"frame", number_of(then)}});
    const std::string again = page.frame([&](const std::string& frame) { return number_of(frame) == number_of(then); });
    CHECK(pose_of(again, joints) == pose_of(then, joints));
    // Another page, which came later, is told what was before.
    Client second(running.stage.address());
    bool history = false;
    for (int i = 0; i < 10 && !history; ++i) {
        const Client::Heard one = second.hear();
        history = !one.text && one.bytes[0] == 2 && one.bytes.size() > 100 * 50;
    }
    CHECK(history);
}

TEST_CASE("why a way is not taken is told while somebody asks") {
    const Running running(her_definition());
    Client page(running.stage.address());
    const json document = page.heard("document");
    page.ask({{"ask", "ways"}, {"wanted", true}});
    const json ways = page.heard("ways");
    bool found = false;
    for (const json& way : ways["ways"]) {
        const json& info = document["transitions"][way["transition"].get<std::size_t>()];
        if (document["states"][info["to"].get<std::size_t>()]["full"] != "legs.moving") { continue; }
        for (const json& part : way["parts"]) {
            found = found || (part["text"] == "speed > start_at" && part["holds"] == false);
        }
    }
    CHECK(found);
}

TEST_CASE("what a page says wrongly is refused in words and harms nobody") {
    const Running running(her_definition());
    Client page(running.stage.address());
    page.heard("document");
    for (const std::string& text :
         {std::string("{"), std::string("[]"), std::string("{}"), std::string(R"({"ask": "fly"})"),
          std::string(R"({"ask": "set", "name": "speed", "value": "fast"})"),
          std::string(R"({"ask": "set", "name": "speed", "value": 1e400})"),
          std::string(R"({"ask": "set", "name": "sped", "value": 1})"),
          std::string(R"({"ask": "set", "name": "ducking", "value": 1})"),
          std::string(R"({"ask": "send", "name": "speed"})"), std::string(R"({"ask": "enter", "state": "nowhere"})"),
          std::string(R"({"ask": "enter", "state": "still", "fade": -1})"),
          std::string(R"({"ask": "drive", "right": 1})"), std::string(R"({"ask": "slow", "times": 0})"),
          std::string(R"({"ask": "go_to", "frame": "first"})"), std::string(4000, '[')}) {
        CAPTURE(text.substr(0, 60));
        page.say(text);
        CHECK(page.heard("refused")["why"].get<std::string>().size() > 10);
    }
    page.ask({{"ask", "go_to"}, {"frame", -1000000}});
    page.ask({{"ask", "pause"}});
    CHECK(page.heard("clock")["playing"] == false);
}

TEST_CASE("a page that says too much, or more than a message may hold, is shut out and the others play on") {
    const Running running(her_definition());
    Client other(running.stage.address());
    other.heard("document");
    {
        Client loud(running.stage.address());
        const auto shout = [&] {
            for (int i = 0; i < 20000; ++i) { loud.ask({{"ask", "set"}, {"name", "speed"}, {"value", i % 4}}); }
            for (int i = 0; i < 5000; ++i) { loud.hear(); }
        };
        CHECK_THROWS(shout());
    }
    {
        Client long_winded(running.stage.address());
        const auto ramble = [&] {
            long_winded.say(std::string(100000, ' '));
            for (int i = 0; i < 100; ++i) { long_winded.hear(); }
        };
        CHECK_THROWS(ramble());
    }
    const std::string frame = other.frame([](const std::string&) { return true; });
    other.frame([&](const std::string& later) { return number_of(later) > number_of(frame) + 20; });
}

TEST_CASE("nobody is let in from elsewhere: by another host, from another page, or without the token") {
    const Running running(her_definition());
    const std::string address = running.stage.address();
    const Address to = parts_of(address);
    CHECK(status_of(address, to.path) == 200);
    CHECK(status_of(address, to.path + "stage.js") == 200);
    CHECK(status_of(address, to.path + "nothing") == 404);
    CHECK(status_of(address, to.path + "../../etc/passwd") == 404);
    CHECK(status_of(address, "/") == 403);
    CHECK(status_of(address, "/" + std::string(to.path.size() - 2, '0') + "/") == 403);
    CHECK(status_of(address, to.path, "harbour.example") == 403);
    CHECK(status_of(address, to.path, {}, "http://harbour.example") == 403);
    CHECK(status_of(address, to.path, {}, "http://" + to.host + ":" + to.port) == 200);
    CHECK_THROWS(Client(address, "http://harbour.example"));
    CHECK_THROWS(Client(address, {}, "harbour.example:" + to.port));
    CHECK_NOTHROW(Client(address, "http://" + to.host + ":" + to.port));
}

TEST_CASE(
    "a document that is saved is played on in the same state, and a broken one is told while the last good one plays") {
    const support::TemporaryFolder folder;
    const std::string text = support::read(support::project() / "demo/lamplighter.gait.yaml");
    std::filesystem::copy_file(support::project() / "demo/lamplighter.glb", folder / "lamplighter.glb");
    const std::string path = folder.write("lamplighter.gait.yaml", text);
    StageDefinition definition;
    definition.document = path;
    const Running running(definition);
    Client page(running.stage.address());
    page.heard("document");
    page.ask({{"ask", "set"}, {"name", "speed"}, {"value", 1.4}});
    const std::string walking = page.frame([](const std::string& frame) { return number_of(frame) > 60; });
    // A document that names a parameter it lacks.
    std::string broken = text;
    broken.replace(broken.find("speed > start_at"), 5, "sped");
    // At once, so that nobody reads half of it.
    const auto save = [&](const std::string& saved) {
        std::filesystem::rename(folder.write("saved.yaml", saved), path);
    };
    save(broken);
    json findings = page.heard("findings");
    while (findings["findings"].empty()) { findings = page.heard("findings"); }
    CHECK(findings["broken"] == true);
    CHECK(findings["findings"][0]["text"].get<std::string>().find("did you mean") != std::string::npos);
    page.frame([&](const std::string& frame) { return number_of(frame) > number_of(walking) + 30; });
    // Mended, and with another threshold.
    std::string mended = text;
    const std::string what = "default: 0.1, unit: m/s, tune: yes, note: where she sets off";
    REQUIRE(mended.find(what) != std::string::npos);
    mended.replace(mended.find(what), 12, "default: 0.7");
    save(mended);
    const json again = page.heard("document");
    CHECK(again["gone"].empty());
    bool heeded = false;
    for (const json& parameter : again["parameters"]) {
        heeded = heeded || (parameter["name"] == "start_at" && parameter["default"].get<double>() == Approx(0.7));
    }
    CHECK(heeded);
    findings = page.heard("findings");
    CHECK(findings["broken"] == false);
    // She walks on where she was: her speed is as it was set.
    const std::string after = page.frame([](const std::string&) { return true; });
    double before_z = 0, after_z = 0;
    std::memcpy(&before_z, walking.data() + 32, sizeof(before_z));
    std::memcpy(&after_z, after.data() + 32, sizeof(after_z));
    CHECK(after_z > before_z + 0.3);
}

TEST_CASE("a skin is drawn with its materials and their pictures, as the file has them, and with every mask") {
    support::GltfMaker maker;
    const std::string picture = "\x89PNG\r\n\x1a\n and so on";
    const int places = maker.add_floats({0, 0, 0, 0, 1, 0, 1, 0, 0}, "VEC3");
    const int joints = maker.add_accessor(maker.add_view(std::string(12, '\0')), 5121, 3, "VEC4");
    const int weights = maker.add_floats({1, 0, 0, 0, 1, 0, 0, 0, 1, 0, 0, 0}, "VEC4");
    const int on_picture = maker.add_floats({0, 0, 0.25F, 1, 1, 0.5F}, "VEC2");
    maker.json["images"] = {{{"bufferView", maker.add_view(picture)}, {"mimeType", "image/png"}}};
    maker.json["textures"] = {{{"source", 0}}};
    maker.json["materials"] = {
        {{"doubleSided", true},
         {"pbrMetallicRoughness", {{"baseColorFactor", {0.5, 0.25, 1, 1}}, {"baseColorTexture", {{"index", 0}}}}}}};
    const json attributes{
        {"POSITION", places}, {"JOINTS_0", joints}, {"WEIGHTS_0", weights}, {"TEXCOORD_0", on_picture}};
    maker.json["meshes"] = {
        {{"primitives", {{{"attributes", attributes}, {"material", 0}}, {{"attributes", attributes}}}}}};
    maker.json["nodes"].push_back({{"mesh", 0}, {"skin", 0}});
    maker.json["scenes"][0]["nodes"].push_back(3);
    const support::TemporaryFolder folder;
    folder.write("arm.glb", maker.binary());
    StageDefinition definition;
    definition.document =
        folder.write("arm.gait.yaml", "gait: 1\nrig: arm.glb\nclips: {wave: {loop: yes}}\nmasks: {hand: {from: hand}}\n"
                                      "layers:\n  - name: body\n    machine:\n      start: waving\n      states:\n"
                                      "        waving: {play: wave}\n");
    const Running running(definition);
    Client page(running.stage.address());
    const json document = page.heard("document");
    REQUIRE(document["materials"].size() == 2);
    const json& worn = document["materials"][0];
    CHECK(worn["colour"] == json({0.5, 0.25, 1}));
    CHECK(worn["picture"] == 0);
    CHECK(worn["both_sides"] == true);
    CHECK(document["materials"][1]["picture"] == -1);
    CHECK(document["masks"] == json({{{"name", "hand"}, {"weights", {0, 1}}}}));
    const std::string path = parts_of(running.stage.address()).path;
    const auto answer = answer_of(running.stage.address(), path + "picture/0");
    CHECK(answer.result_int() == 200);
    CHECK(answer.body() == picture);
    CHECK(answer[http::field::content_type] == "image/png");
    for (const char* wrong : {"picture/1", "picture/", "picture/-1", "picture/0x", "picture/99999999999999999999"}) {
        CHECK(status_of(running.stage.address(), path + wrong) == 404);
    }
    // Two triangles of three corners, each with a place on the picture.
    const std::string body = answer_of(running.stage.address(), path + "body").body();
    std::uint32_t counts[3];
    std::memcpy(counts, body.data(), sizeof(counts));
    CHECK(counts[0] == 2);
    CHECK(counts[2] == 2);
    float second_place[2];
    std::memcpy(second_place, body.data() + 12 + 2 * 64 + counts[1] * 12 + 8, sizeof(second_place));
    CHECK(second_place[0] == 0.25F);
    CHECK(second_place[1] == 1);
    const std::string saved = saved_stage(definition, 0.5);
    CHECK(saved.find("data:image/png;base64,iVBORw0KGg") != std::string::npos);
}

TEST_CASE("a port that is taken and a document that does not play are said, with what to do") {
    const Running running(her_definition());
    const std::string port = parts_of(running.stage.address()).port;
    const auto taken = support::gait_tool(
        {"stage", (support::project() / "demo/lamplighter.gait.yaml").string(), "--no-open", "--port", port});
    CHECK(taken.code == 2);
    CHECK_THAT(taken.err, Catch::Contains("port " + port) && Catch::Contains("leave --port out"));
    const auto missing = support::gait_tool({"stage", "nowhere.gait.yaml", "--no-open"});
    CHECK(missing.code == 2);
    CHECK_THAT(missing.err, Catch::Contains("nowhere.gait.yaml"));
}

TEST_CASE("a saved page holds the whole performance, needs nobody, and is small") {
    const support::TemporaryFolder folder;
    const std::string path = (folder / "evening.html").string();
    const auto saved =
        support::gait_tool({"stage", (support::project() / "demo/lamplighter.gait.yaml").string(), "--cues",
                            (support::project() / "demo/evening.cues.yaml").string(), "--save", path});
    CHECK(saved.code == 0);
    const std::string page = support::read(path);
    CHECK(page.size() < 3'000'000);
    CHECK(page.size() > 500'000);
    CHECK(page.find("src=\"") == std::string::npos);
    CHECK(page.find("<link rel=\"stylesheet\"") == std::string::npos);
    const auto without = support::gait_tool({"stage", (support::project() / "demo/lamplighter.gait.yaml").string(),
                                             "--save", (folder / "x.html").string()});
    CHECK(without.code == 2);
    CHECK_THAT(without.err, Catch::Contains("--seconds"));
    CHECK_FALSE(std::filesystem::exists(folder / "x.html"));
}
