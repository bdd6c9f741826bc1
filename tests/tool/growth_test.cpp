// What grows with what is put in: twice the size takes about twice the work. Instructions are counted, not seconds.
#include "support.hpp"

#include <catch2/catch.hpp>
#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <cmath>
#include <cstdlib>
#include <functional>

using nlohmann::json;
using support::gait_tool;

namespace {

/// Lines for each of `count` things.
std::string each(std::size_t count, const std::function<std::string(std::size_t)>& line) {
    std::string text;
    for (std::size_t i = 0; i < count; ++i) { text += line(i); }
    return text;
}

/// A document: what stands under its keys, and the states of its one machine.
std::string document(const std::string& keys, const std::string& states) {
    const std::string clips = keys.find("clips:") == std::string::npos
                                  ? "clips:\n  stand: {file: rig.bvh, loop: yes}\n  once: {file: rig.bvh}\n"
                                  : "";
    return "gait: 1\nrig: rig.bvh\n" + clips + keys +
           "layers:\n  - name: body\n    machine:\n      start: s0\n      states:\n" + states;
}

const std::string one_state = "        s0: {play: stand}\n";
const std::string speed = "parameters:\n  speed: {kind: number}\n";

std::string rig() {
    return "HIERARCHY\nROOT hips\n{\nOFFSET 0 1 0\nCHANNELS 3 Zrotation Xrotation Yrotation\nEnd Site\n{\nOFFSET 0 1 "
           "0\n}\n}\n"
           "MOTION\nFrames: 2\nFrame Time: 0.5\n0 0 0\n0 0 0\n";
}

std::string stands(std::size_t count) {
    return each(count, [](std::size_t i) { return fmt::format("        s{}: {{play: stand}}\n", i); });
}

/// As many states as lines of `always`.
std::string always(std::size_t count, const std::function<std::string(std::size_t)>& line) {
    std::string lines;
    for (std::size_t i = 0; i < count; ++i) {
        const std::string written = line(i);
        if (!written.empty()) { lines += "        - " + written + "\n"; }
    }
    return "gait: 1\nrig: rig.bvh\nclips:\n  stand: {file: rig.bvh, loop: yes}\n" + speed +
           "layers:\n  - name: body\n    machine:\n      start: s0\n      always:\n" + lines + "      states:\n" +
           stands(count);
}

struct Grown {
    const char* what;
    std::function<std::string(std::size_t)> text;
    std::size_t size = 450; ///< that is doubled
};

const std::vector<Grown>& documents() {
    // Below it every number of a condition is tried, each in a condition as long: its square, up to a bound.
    constexpr std::size_t tried_in_full = 900;
    static const std::vector<Grown> all{
        {"states",
         [](std::size_t n) {
             return document(speed, each(n, [&](std::size_t i) {
                                 return fmt::format("        s{}: {{play: stand, go: {{to: s{}, when: speed > {}}}}}\n",
                                                    i, (i * 7 + 1) % n, i);
                             }));
         }},
        {"states without a way back",
         [](std::size_t n) {
             return document({}, each(n, [&](std::size_t i) {
                                 return fmt::format("        s{}: {{play: stand, go: {{to: s{}, after: 1}}}}\n", i,
                                                    std::min(i + 1, n - 1));
                             }));
         }},
        {"parameters",
         [](std::size_t n) {
             return document("parameters:\n" +
                                 each(n, [](std::size_t i) { return fmt::format("  p{}: {{kind: number}}\n", i); }),
                             one_state);
         }},
        {"computed parameters",
         [](std::size_t n) {
             return document("parameters:\n  p0: {kind: number}\n" +
                                 each(n,
                                      [](std::size_t i) {
                                          return fmt::format("  p{}: {{kind: number, from: p{} + {}}}\n", i + 1, i, i);
                                      }),
                             one_state);
         }},
        {"values",
         [](std::size_t n) {
             return document("values:\n" +
                                 each(n, [](std::size_t i) { return fmt::format("  v{}: {{kind: number}}\n", i); }),
                             one_state);
         }},
        {"named motions",
         [](std::size_t n) {
             return document("motions:\n" + each(n, [](std::size_t i) { return fmt::format("  m{}: stand\n", i); }),
                             each(n, [&](std::size_t i) {
                                 return fmt::format("        s{}: {{play: m{}, go: {{to: s{}, after: 1}}}}\n", i, i,
                                                    (i + 1) % n);
                             }));
         }},
        {"masks",
         [](std::size_t n) {
             return document("masks:\n" +
                                 each(n, [](std::size_t i) { return fmt::format("  m{}: {{from: hips}}\n", i); }),
                             one_state);
         }},
        {"names that are unknown",
         [](std::size_t n) {
             return document(speed, one_state + each(n, [](std::size_t i) {
                                        return fmt::format(
                                            "        t{}: {{play: standd{}, go: {{to: x{}, when: sped > {}}}}}\n", i, i,
                                            i, i);
                                    }));
         }},
        {"names written twice",
         [](std::size_t n) {
             return document("values:\n" + each(n, [](std::size_t) { return "  v: {kind: flag}\n"; }), one_state);
         }},
        {"keys that are unknown",
         [](std::size_t n) {
             return document(each(n, [](std::size_t i) { return fmt::format("key{}: 1\n", i); }), one_state);
         }},
        {"a list that commas split",
         [](std::size_t n) {
             return document({}, "        s0: {play: stand, go: {to: s0, when: a" +
                                     each(n, [](std::size_t i) { return fmt::format(", word w{}", i); }) + "}}\n");
         }},
        {"a condition of many parts",
         [](std::size_t n) {
             return document(speed, "        s0: {play: stand, go: {to: s0, when: \"speed > 0" +
                                        each(n, [](std::size_t i) { return fmt::format(" or speed > {}", i); }) +
                                        "\"}}\n");
         },
         tried_in_full},
        {"ways that leave from every state",
         [](std::size_t n) {
             return always(n, [](std::size_t i) { return fmt::format("{{to: s{0}, when: speed > {0}}}", i); });
         }},
        {"exceptions that are unknown",
         [](std::size_t n) {
             return always(n, [&](std::size_t i) {
                 if (i > 0) { return std::string(); }
                 return "{to: s0, when: speed > 1, except: [t" +
                        each(n, [](std::size_t e) { return fmt::format(", u{}", e); }) + "]}";
             });
         }},
        {"what may not be at once",
         [](std::size_t n) {
             return document("forbid:\n" + each(n / 4,
                                                [](std::size_t i) {
                                                    return fmt::format("  - {{yields: arms, while: body.s{}}}\n", i);
                                                }),
                             stands(n)) +
                    "  - name: arms\n    machine:\n      start: s0\n      states:\n" + stands(n);
         }},
        {"choices",
         [](std::size_t n) {
             const auto of = [&] { return each(n / 4, [](std::size_t i) { return fmt::format("c{}, ", i); }); };
             return document(fmt::format("parameters:\n  carry: {{kind: choice, of: [{0}]}}\nvalues:\n  shown: {{kind: "
                                         "choice, of: [{0}]}}\n",
                                         of()),
                             each(n, [&](std::size_t i) {
                                 return fmt::format(
                                     "        s{}: {{play: stand, values: {{shown: c{}}}, go: {{to: s{}, "
                                     "when: carry == c{}}}}}\n",
                                     i, i / 4, (i + 1) % n, i / 4);
                             }));
         }},
        {"one-shots",
         [](std::size_t n) {
             // Each may break into each: it is their ways that are doubled.
             const auto count = std::size_t(std::sqrt(30 * double(n)));
             return document("one_shots:\n" +
                                 each(count, [](std::size_t i) { return fmt::format("  o{}: {{play: once}}\n", i); }),
                             one_state);
         }},
        {"clips that are fitted",
         [](std::size_t n) {
             return document(
                 "fits:\n" + each(n, [](std::size_t i) { return fmt::format("  f{}: {{scale: 1}}\n", i); }) +
                     "clips:\n  stand: {file: rig.bvh, loop: yes}\n" +
                     each(n, [](std::size_t i) { return fmt::format("  k{0}: {{file: rig.bvh, fit: f{0}}}\n", i); }),
                 one_state);
         }},
        {"empty lines", [](std::size_t n) { return document({}, one_state) + std::string(20 * n, '\n'); }},
    };
    return all;
}

/// A glTF file whose one animation (or several) turns `moved`.
std::string gltf(json nodes, const std::vector<int>& joints, std::size_t animations, int moved) {
    // Times 0 and 1, and two identities.
    const char* keys = "data:application/octet-stream;base64,AAAAAAAAgD8AAAAAAAAAAAAAAAAAAIA/AAAAAAAAAAAAAAAAAACAPw==";
    json file{
        {"asset", {{"version", "2.0"}}},
        {"nodes", std::move(nodes)},
        {"buffers", {{{"byteLength", 40}, {"uri", keys}}}},
        {"bufferViews", {{{"buffer", 0}, {"byteLength", 8}}, {{"buffer", 0}, {"byteOffset", 8}, {"byteLength", 32}}}},
        {"accessors",
         {{{"bufferView", 0}, {"componentType", 5126}, {"count", 2}, {"type", "SCALAR"}},
          {{"bufferView", 1}, {"componentType", 5126}, {"count", 2}, {"type", "VEC4"}}}}};
    if (!joints.empty()) { file["skins"] = {{{"joints", joints}}}; }
    for (std::size_t a = 0; a < animations; ++a) {
        file["animations"].push_back(
            {{"name", "same"},
             {"samplers", {{{"input", 0}, {"output", 1}}}},
             {"channels", {{{"sampler", 0}, {"target", {{"node", moved}, {"path", "rotation"}}}}}}});
    }
    return file.dump();
}

json chain_of(std::size_t count) {
    json nodes = json::array();
    for (std::size_t n = 0; n < count; ++n) {
        nodes.push_back(n + 1 < count ? json{{"children", {n + 1}}} : json::object());
    }
    return nodes;
}

const std::vector<Grown>& files() {
    static const std::vector<Grown> all{
        {"animations of one name",
         [](std::size_t n) {
             return gltf({{{"name", "hips"}}}, {}, n, 0);
         }},
        {"a chain of nodes above one joint",
         [](std::size_t n) { return gltf(chain_of(4 * n), {int(4 * n) - 1}, 1, int(4 * n) - 1); }},
        {"many joints below a chain of nodes",
         [](std::size_t n) {
             json nodes = chain_of(4 * n);
             std::vector<int> joints;
             for (int j = 0; j < 200; ++j) {
                 joints.push_back(int(nodes.size()));
                 nodes[4 * n - 1]["children"].push_back(nodes.size());
                 nodes.push_back(json::object());
             }
             return gltf(nodes, joints, 1, joints.front());
         }},
        {"more joints than are possible",
         [](std::size_t n) {
             std::vector<int> joints;
             for (std::size_t j = 0; j < 4 * n; ++j) { joints.push_back(int(j)); }
             return gltf(chain_of(4 * n), joints, 1, 0);
         }},
    };
    return all;
}

/// Instructions that the tool takes.
double instructions(const std::vector<std::string>& arguments) {
    std::vector<std::string> command{"valgrind", "--tool=cachegrind", "--cache-sim=no",
                                     "--cachegrind-out-file=/dev/null", support::tool().string()};
    command.insert(command.end(), arguments.begin(), arguments.end());
    const support::Finished counted = support::run(command);
    const std::size_t at = counted.err.rfind("I   refs:");
    INFO(counted.err.substr(0, 2000));
    REQUIRE(at != std::string::npos);
    std::string digits;
    for (const char c : counted.err.substr(at + 9, counted.err.find('\n', at) - at - 9)) {
        if (c >= '0' && c <= '9') { digits += c; }
    }
    return std::stod(digits);
}

/// What the tool takes for things of any size; a command of its own reads the file that they are written to.
class Taken {
public:
    Taken(const char* command, const char* file, const Grown& smallest)
        : command_(command), file_(file), least_(of(smallest, 1)) {}

    /// How many times as much what is beyond the smallest takes for twice the size.
    [[nodiscard]] double growth(const Grown& grown) const {
        const double once = of(grown, grown.size), twice = of(grown, 2 * grown.size);
        INFO(grown.what << ": " << least_ << ", " << once << ", " << twice);
        return (twice - least_) / (once - least_);
    }

private:
    [[nodiscard]] double of(const Grown& grown, std::size_t count) const {
        const support::TemporaryFolder folder;
        folder.write("rig.bvh", rig());
        return instructions({command_, folder.write(file_, grown.text(count))});
    }

    const char *command_, *file_;
    double least_; ///< mostly for the tool to begin, which is slow where each of its instructions is counted
};

} // namespace

TEST_CASE("a document of twice the size takes at most two and a half times the instructions", "[long]") {
    if (support::is_sanitized) { return; }
    const Taken taken("check", "grown.gait.yaml", documents().front());
    for (const Grown& grown : documents()) {
        INFO(grown.what);
        CHECK(taken.growth(grown) < 2.5);
    }
}

TEST_CASE("a file of clips of twice the size takes at most two and a half times the instructions", "[long]") {
    if (support::is_sanitized) { return; }
    const Taken taken("clips", "grown.gltf", files().front());
    for (const Grown& grown : files()) {
        INFO(grown.what);
        CHECK(taken.growth(grown) < 2.5);
    }
    const Grown recording{"a recording", [](std::size_t n) {
                              return fmt::format("HIERARCHY\nROOT hips\n{{\nOFFSET 0 1 0\nCHANNELS 3 Zrotation "
                                                 "Xrotation Yrotation\nEnd Site\n{{\nOFFSET 0 1 0\n}}\n}}\nMOTION\n"
                                                 "Frames: {}\nFrame Time: 0.01\n",
                                                 4 * n) +
                                     each(4 * n, [](std::size_t) { return "1 2 3\n"; });
                          }};
    CHECK(Taken("clips", "grown.bvh", recording).growth(recording) < 2.5);
}

TEST_CASE("a small file that asks for much is refused, or given what it holds") {
    if (support::is_sanitized) { return; }
    const support::TemporaryFolder folder;
    folder.write("rig.bvh", rig());
    const auto refusal = [&](const std::string& name, const std::string& text, const std::string& command) {
        // With a gigabyte it must do.
        const support::Finished refused = support::run({"bash", "-c", "ulimit -v 2000000; exec \"$@\"", "-",
                                                        support::tool().string(), command, folder.write(name, text)});
        INFO(refused.err.substr(0, 1000));
        CHECK(refused.code != 0);
        CHECK(refused.code <= 2);
        return refused.err;
    };
    CHECK_THAT(
        refusal("bomb.bvh",
                "HIERARCHY\nROOT hips\n{\nOFFSET 0 0 0\nEnd Site\n{\nOFFSET 0 1 0\n}\n}\nMOTION\nFrames: 1000000000\n"
                "Frame Time: 0.000001\n",
                "clips"),
        Catch::Contains("bomb.bvh:11:9: error: no joint has channels, so there is one frame, found 1000000000"));
    CHECK_THAT(
        refusal("many.gait.yaml",
                document("parameters:\n" +
                             each(2'001, [](std::size_t i) { return fmt::format("  p{}: {{kind: number}}\n", i); }),
                         one_state),
                "check"),
        Catch::Contains(":2007:3: error: there are 2001 parameters or more here, and 2000 are possible"));
    CHECK_THAT(refusal("lines.gait.yaml", std::string(10'000'000, '\n'), "check"),
               Catch::Contains("the file is empty"));
    // Three hundred channels that share sixty thousand keys.
    json shared = json::parse(gltf(chain_of(300), {}, 1, 0));
    const std::size_t keys = 60'000;
    shared["buffers"][0] = {{"byteLength", keys * 20}, {"uri", "keys.bin"}};
    shared["bufferViews"] = {{{"buffer", 0}, {"byteLength", keys * 4}},
                             {{"buffer", 0}, {"byteOffset", keys * 4}, {"byteLength", keys * 16}}};
    for (json& accessor : shared["accessors"]) { accessor["count"] = keys; }
    for (int node = 0; node < 300; ++node) {
        shared["animations"][0]["channels"].push_back(
            {{"sampler", 0}, {"target", {{"node", node}, {"path", "rotation"}}}});
    }
    std::string bytes;
    for (std::size_t k = 0; k < keys; ++k) {
        const float at = float(k) / 30;
        bytes.append(reinterpret_cast<const char*>(&at), 4);
    }
    for (std::size_t k = 0; k < keys; ++k) {
        const float identity[4] = {0, 0, 0, 1};
        bytes.append(reinterpret_cast<const char*>(identity), 16);
    }
    folder.write("keys.bin", bytes);
    CHECK_THAT(refusal("shared.gltf", shared.dump(), "clips"),
               Catch::Contains("with its 60000 elements the file claims far more numbers than it holds"));
}
