#include "wire.hpp"

#include "character/character_data.hpp"

#include <fmt/format.h>

#include <array>
#include <cerrno>
#include <csignal>
#include <fcntl.h>
#include <map>
#include <poll.h>
#include <spawn.h>
#include <sys/wait.h>
#include <unistd.h>

extern char** environ;

namespace gait::stage {
namespace {

/// What `dot` writes for a graph; empty where it is not there or fails.
std::string laid_out(const std::string& graph) {
    std::array<int, 2> in{}, out{};
    if (pipe2(in.data(), O_CLOEXEC) != 0) { return {}; }
    if (pipe2(out.data(), O_CLOEXEC) != 0) {
        close(in[0]);
        close(in[1]);
        return {};
    }
    posix_spawn_file_actions_t actions;
    posix_spawn_file_actions_init(&actions);
    posix_spawn_file_actions_adddup2(&actions, in[0], STDIN_FILENO);
    posix_spawn_file_actions_adddup2(&actions, out[1], STDOUT_FILENO);
    posix_spawn_file_actions_addopen(&actions, STDERR_FILENO, "/dev/null", O_WRONLY, 0);
    std::string program = "dot", form = "-Tjson0";
    std::array<char*, 3> arguments{program.data(), form.data(), nullptr};
    pid_t child = 0;
    const int failed = posix_spawnp(&child, "dot", &actions, nullptr, arguments.data(), environ);
    posix_spawn_file_actions_destroy(&actions);
    close(in[0]);
    close(out[1]);
    std::string answer;
    if (failed == 0) {
        // It may end before it has read everything.
        struct sigaction ignored {
        }, before{};
        ignored.sa_handler = SIG_IGN;
        sigaction(SIGPIPE, &ignored, &before);
        for (std::size_t written = 0; written < graph.size();) {
            const ssize_t count = write(in[1], graph.data() + written, graph.size() - written);
            if (count < 0 && errno == EINTR) { continue; }
            if (count <= 0) { break; }
            written += std::size_t(count);
        }
        close(in[1]);
        std::array<char, 65536> part{};
        for (;;) {
            const ssize_t count = read(out[0], part.data(), part.size());
            if (count < 0 && errno == EINTR) { continue; }
            if (count <= 0) { break; }
            answer.append(part.data(), std::size_t(count));
        }
        sigaction(SIGPIPE, &before, nullptr);
        int status = 0;
        while (waitpid(child, &status, 0) < 0 && errno == EINTR) {}
        if (!WIFEXITED(status) || WEXITSTATUS(status) != 0) { answer.clear(); }
    } else {
        close(in[1]);
    }
    close(out[0]);
    return answer;
}

/// Text in a graph's quotes: nothing of it is a command there.
std::string graph_text(const std::string& text) {
    std::string out = "\"";
    for (const char c : text) {
        if (c == '"' || c == '\\') { out += '\\'; }
        out += static_cast<unsigned char>(c) < 0x20 ? ' ' : c;
    }
    return out + "\"";
}

/// Ways that were written once, of whichever states they leave.
struct Way {
    std::vector<std::uint16_t> transitions;
    std::uint16_t from = no_index; ///< of a lead the state that leads; of several the state around them, if any
    std::uint16_t to = 0;
    bool from_any = false;
    TransitionKind kind = TransitionKind::written;
};

std::vector<Way> ways_of(const Character& character) {
    const detail::CharacterData& data = character.data();
    const auto all = character.transitions();
    std::map<std::uint16_t, std::uint16_t> leads_from;
    for (const detail::CompiledState& state : data.states) {
        for (std::size_t l = state.leads.first; l < std::size_t(state.leads.first) + state.leads.count; ++l) {
            leads_from.emplace(data.leads[l].record, state.visible);
        }
    }
    std::vector<Way> ways;
    std::map<std::tuple<int, int, int, std::uint16_t, int>, std::size_t> known;
    for (std::uint16_t t = 0; t < all.size(); ++t) {
        const TransitionInfo& info = all[t];
        if (info.kind == TransitionKind::within) { continue; }
        if (info.kind == TransitionKind::lead) {
            const auto from = leads_from.find(t);
            ways.push_back({{t}, from == leads_from.end() ? no_index : from->second, info.to, false, info.kind});
            continue;
        }
        const bool written = info.place.line > 0;
        const auto key = std::make_tuple(info.place.file, info.place.line, info.place.column, info.to, int(info.kind));
        const auto [place, is_new] = known.try_emplace(key, ways.size());
        if (is_new || !written) {
            ways.push_back({{t}, info.from, info.to, false, info.kind});
            continue;
        }
        Way& way = ways[place->second];
        way.transitions.push_back(t);
        if (way.from != info.from) {
            way.from_any = true;
            way.from = character.states()[info.from].parent;
        }
    }
    return ways;
}

/// The numbers of a list such as `1.5,2 3,4`.
std::vector<double> numbers_in(const std::string& text) {
    std::vector<double> numbers;
    const char* at = text.c_str();
    while (*at != '\0') {
        char* end = nullptr;
        const double number = std::strtod(at, &end);
        if (end == at) {
            ++at;
        } else {
            numbers.push_back(number);
            at = end;
        }
    }
    return numbers;
}

class LayerPlan {
public:
    LayerPlan(const Character& character, const std::vector<Way>& ways, std::uint16_t layer)
        : character_(character), ways_(ways), layer_(layer) {}

    [[nodiscard]] nlohmann::json layout() const {
        const std::string text = laid_out(graph());
        const nlohmann::json drawn = nlohmann::json::parse(text, nullptr, false);
        if (drawn.is_discarded() || !drawn.contains("bb")) { return nullptr; }
        return boxes(drawn);
    }

private:
    [[nodiscard]] bool is_mine(std::uint16_t state) const {
        return state != no_index && character_.states()[state].layer == layer_;
    }

    void add_states(std::string& out, std::uint16_t parent) const {
        const auto states = character_.states();
        for (std::uint16_t s = 0; s < states.size(); ++s) {
            if (states[s].layer != layer_ || states[s].parent != parent) { continue; }
            const std::string& name = states[s].name;
            const std::string own = name.substr(name.rfind('.') == std::string::npos ? 0 : name.rfind('.') + 1);
            if (states[s].machine) {
                out += fmt::format("subgraph cluster_s{} {{ label={}; margin=10;\n", s, graph_text(own));
                add_states(out, s);
                out += fmt::format("in{} [shape=point, width=0.02, style=invis];\n}}\n", s);
            } else {
                out += fmt::format("s{} [label={}];\n", s, graph_text(own));
            }
        }
    }
    /// The node where an arrow to or from a state ends.
    [[nodiscard]] std::string node(std::uint16_t state) const {
        return character_.states()[state].machine ? fmt::format("in{}", state) : fmt::format("s{}", state);
    }

    [[nodiscard]] std::string graph() const {
        std::string out = "digraph plan {\nrankdir=LR; nodesep=0.12; ranksep=0.34; compound=true; splines=true;\n"
                          "graph [fontname=\"DejaVu Sans\", fontsize=11];\n"
                          "node [shape=box, fontname=\"DejaVu Sans\", fontsize=11, margin=\"0.1,0.04\", height=0.28];\n"
                          "edge [arrowsize=0.6];\n";
        add_states(out, no_index);
        std::string any;
        for (std::size_t w = 0; w < ways_.size(); ++w) {
            const Way& way = ways_[w];
            if (!is_mine(way.to) || way.kind == TransitionKind::lead) { continue; }
            std::string from;
            if (way.from_any) {
                from = way.from == no_index ? "any" : fmt::format("any{}", way.from);
                any += from + " [label=\"any of them\", style=dashed];\n";
            } else {
                from = node(way.from);
            }
            std::string ends;
            if (!way.from_any && character_.states()[way.from].machine) {
                ends += fmt::format(", ltail=cluster_s{}", way.from);
            }
            if (character_.states()[way.to].machine) { ends += fmt::format(", lhead=cluster_s{}", way.to); }
            out += fmt::format("{} -> {} [id=\"w{}\"{}];\n", from, node(way.to), w, ends);
        }
        return out + any + "}\n";
    }

    [[nodiscard]] nlohmann::json boxes(const nlohmann::json& drawn) const {
        const std::vector<double> bounds = numbers_in(drawn["bb"].get<std::string>());
        nlohmann::json states = nlohmann::json::array(), ways = nlohmann::json::array(), any = nlohmann::json::array();
        const double height = bounds.size() == 4 ? bounds[3] : 0;
        if (drawn.contains("objects")) {
            for (const nlohmann::json& object : drawn["objects"]) {
                const std::string name = object.value("name", "");
                if (object.contains("bb") && name.starts_with("cluster_s")) {
                    const std::vector<double> bb = numbers_in(object["bb"].get<std::string>());
                    if (bb.size() != 4) { continue; }
                    states.push_back({{"state", std::stoi(name.substr(9))},
                                      {"box", {bb[0], height - bb[3], bb[2] - bb[0], bb[3] - bb[1]}}});
                } else if (object.contains("pos") && object.contains("width") &&
                           (name.starts_with("s") || name.starts_with("any"))) {
                    const std::vector<double> pos = numbers_in(object["pos"].get<std::string>());
                    const double width = 72 * std::stod(object["width"].get<std::string>()),
                                 high = 72 * std::stod(object["height"].get<std::string>());
                    if (pos.size() != 2) { continue; }
                    const nlohmann::json box{pos[0] - width / 2, height - pos[1] - high / 2, width, high};
                    if (name.starts_with("any")) {
                        any.push_back({{"box", box}});
                    } else {
                        states.push_back({{"state", std::stoi(name.substr(1))}, {"box", box}});
                    }
                }
            }
        }
        if (drawn.contains("edges")) {
            for (const nlohmann::json& edge : drawn["edges"]) {
                const std::string id = edge.value("id", "");
                if (!id.starts_with("w") || !edge.contains("pos")) { continue; }
                ways.push_back(
                    {{"way", std::stoi(id.substr(1))}, {"line", line_of(edge["pos"].get<std::string>(), height)}});
            }
        }
        return {{"layer", layer_},
                {"size", {bounds.size() == 4 ? bounds[2] : 0, height}},
                {"states", states},
                {"any", any},
                {"ways", ways}};
    }

    /// Control points from the start to the arrow's tip, x and y in turn.
    static nlohmann::json line_of(const std::string& pos, double height) {
        const bool ends = pos.starts_with("e,");
        std::vector<double> points = numbers_in(ends ? pos.substr(2) : pos);
        if (ends && points.size() >= 2) {
            points.push_back(points[0]);
            points.push_back(points[1]);
            points.erase(points.begin(), points.begin() + 2);
        }
        for (std::size_t p = 1; p < points.size(); p += 2) { points[p] = height - points[p]; }
        return points;
    }

    const Character& character_;
    const std::vector<Way>& ways_;
    std::uint16_t layer_;
};

} // namespace

nlohmann::json plan_of(const Character& character) {
    const std::vector<Way> ways = ways_of(character);
    nlohmann::json layers = nlohmann::json::array(), all = nlohmann::json::array();
    for (std::uint16_t l = 0; l < character.layers().size(); ++l) {
        const nlohmann::json layer = LayerPlan(character, ways, l).layout();
        if (layer.is_null()) { return nullptr; }
        layers.push_back(layer);
    }
    for (const Way& way : ways) {
        all.push_back({{"transitions", way.transitions},
                       {"from", way.from == no_index ? -1 : int(way.from)},
                       {"from_any", way.from_any},
                       {"to", way.to},
                       {"kind", way.kind == TransitionKind::lead    ? "lead"
                                : way.kind == TransitionKind::yield ? "yield"
                                                                    : "way"}});
    }
    return {{"layers", layers}, {"ways", all}};
}

} // namespace gait::stage
