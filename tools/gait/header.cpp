// gait header: a document's names as a C++ header, so that a typo does not compile.
#include "commands.hpp"
#include "depfile.hpp"
#include "options.hpp"
#include "output.hpp"
#include "overwriting.hpp"

#include "files/write_file.hpp"
#include "gait/load.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <filesystem>
#include <memory>
#include <set>

namespace gait::tool {
namespace {

struct HeaderOptions {
    std::string document, out, name, depfile;
};

/// What C++ keeps for itself.
constexpr std::array keywords{
    "alignas",     "alignof",  "and",       "and_eq",    "asm",       "auto",         "bitand",
    "bitor",       "bool",     "break",     "case",      "catch",     "char",         "char16_t",
    "char32_t",    "char8_t",  "class",     "co_await",  "co_return", "co_yield",     "compl",
    "concept",     "const",    "consteval", "constexpr", "constinit", "const_cast",   "continue",
    "decltype",    "default",  "delete",    "do",        "double",    "dynamic_cast", "else",
    "enum",        "explicit", "export",    "extern",    "false",     "float",        "for",
    "friend",      "goto",     "if",        "inline",    "int",       "long",         "mutable",
    "namespace",   "new",      "noexcept",  "not",       "not_eq",    "nullptr",      "operator",
    "or",          "or_eq",    "private",   "protected", "public",    "register",     "reinterpret_cast",
    "requires",    "return",   "short",     "signed",    "sizeof",    "static",       "static_assert",
    "static_cast", "struct",   "switch",    "template",  "this",      "thread_local", "throw",
    "true",        "try",      "typedef",   "typeid",    "typename",  "union",        "unsigned",
    "using",       "virtual",  "void",      "volatile",  "wchar_t",   "while",        "xor",
    "xor_eq"};

/// A name of the document as C++ takes it, and none twice.
class Identifiers {
public:
    explicit Identifiers(std::set<std::string> taken = {}) : taken_(std::move(taken)) {}

    std::string of(const std::string& name) {
        std::string id;
        for (const char c : name) {
            const bool letter = (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z'), digit = c >= '0' && c <= '9';
            // No two underscores in a row: C++ keeps such names, too.
            if (letter || digit) {
                id += c;
            } else if (!id.empty() && id.back() != '_') {
                id += '_';
            }
        }
        while (!id.empty() && id.back() == '_') { id.pop_back(); }
        if (id.empty() || (id[0] >= '0' && id[0] <= '9')) { id = "n" + id; }
        const bool kept = std::find(keywords.begin(), keywords.end(), id) != keywords.end();
        std::string free = kept ? id + "_" : id;
        for (int next = 2; !taken_.insert(free).second; ++next) { free = fmt::format("{}_{}", id, next); }
        return free;
    }

private:
    std::set<std::string> taken_;
};

/// A text between quotes, whatever is in it.
std::string literal(const std::string& text) {
    std::string out = "\"";
    for (const char c : text) {
        const auto byte = static_cast<unsigned char>(c);
        if (c == '"' || c == '\\') {
            out += fmt::format("\\{}", c);
        } else if (byte < 0x20 || byte >= 0x7F || c == '?') {
            out += fmt::format("\\{:03o}", byte);
        } else {
            out += c;
        }
    }
    return out + "\"";
}

/// A text in a comment of one line, which does not go on in the next.
std::string one_line(const std::string& text) {
    std::string out;
    for (const char c : text) {
        if (c == '?' && out.ends_with('?')) { out += ' '; } // together they begin trigraphs in old dialects
        out += static_cast<unsigned char>(c) < 0x20 ? ' ' : c;
    }
    while (!out.empty() && (out.back() == '\\' || out.back() == ' ')) { out.pop_back(); }
    return out;
}

std::string remark(const std::string& text) {
    const std::string line = one_line(text);
    return line.empty() ? "" : " ///< " + line;
}

std::string type_name(const std::string& name) {
    std::string type;
    bool upper = true;
    for (const char c : name) {
        if (c == '_') {
            upper = true;
            continue;
        }
        type += upper && c >= 'a' && c <= 'z' ? char(c - 'a' + 'A') : c;
        upper = false;
    }
    return type;
}

/// A member: its type, its name in C++, what finds it, and its name in the document.
struct Member {
    std::string type, id, find, name, note;
};

class Header {
public:
    Header(const Loaded& loaded, std::string struct_name)
        : character_(*loaded.character), document_(loaded.document), struct_(std::move(struct_name)),
          ids_({struct_, "states", "States", "Marks", "Spans", "missing", "fits", "word", "found", "character"}) {}

    std::string text() {
        std::vector<Member> members;
        for (const ParameterInfo& parameter : character_.parameters()) {
            if (!parameter.computed) { members.push_back(member_of(parameter)); }
        }
        for (const ValueInfo& value : character_.values()) { members.push_back(member_of(value)); }
        std::vector<Member> states;
        Identifiers state_ids;
        for (std::uint16_t s = 0; s < character_.states().size(); ++s) {
            const StateInfo& state = character_.states()[s];
            const std::string full = character_.full_name(s);
            const bool shot = character_.layers()[state.layer].one_shots;
            if (shot && state.nothing) { continue; }
            if (shot) {
                members.push_back(
                    {"gait::OneShotHandle", ids_.of("play_" + state.name), "one_shot", state.name, "a one-shot"});
            } else {
                states.push_back({"gait::StateHandle", state_ids.of(full), "state", full, ""});
            }
        }
        std::string out = fmt::format("// Made by 'gait header' from {}: not to be edited.\n#pragma once\n\n"
                                      "#include <gait/character.hpp>\n\n#include <string>\n#include <string_view>\n\n",
                                      one_line(std::filesystem::path(document_.file).filename().string()));
        const std::string about = one_line(document_.about);
        if (!about.empty()) { out += "/// " + about + "\n"; }
        out += "/// Found by name once, as the character is opened: where `missing` is not empty, this header is of "
               "another "
               "one.\n";
        out += fmt::format("struct {} {{\n", struct_);
        out += enums_;
        for (const Member& m : members) { out += fmt::format("    {} {};{}\n", m.type, m.id, remark(m.note)); }
        out += "\n    /// All states, with their layers' names before theirs.\n    struct States {\n";
        for (const Member& m : states) { out += fmt::format("        {} {};\n", m.type, m.id); }
        out += "    } states;\n";
        names(out, "marks", "Marks of clips, as events name them.", character_.marks());
        names(out, "spans", "Spans of clips.", character_.spans());
        out += "\n    /// Names that the character does not have, parted by commas.\n    std::string missing;\n"
               "    /// Whether it has them all.\n    [[nodiscard]] bool fits() const { return missing.empty(); }\n\n";
        out += fmt::format("    explicit {}(const gait::Character& character) {{\n", struct_);
        out += "        const auto found = [&](bool known, const char* name) {\n"
               "            if (!known) { missing += (missing.empty() ? \"\" : \", \") + std::string(name); }\n        "
               "};\n";
        for (const Member& m : members) { find(out, m, m.id); }
        for (const Member& m : states) { find(out, m, "states." + m.id); }
        return out + "    }\n};\n";
    }

private:
    static void find(std::string& out, const Member& m, const std::string& id) {
        out += fmt::format("        found(bool({0} = character.{1}({2})), {2});\n", id, m.find, literal(m.name));
    }

    static void names(std::string& out, const char* list, const char* note, std::span<const KeptText> all) {
        if (all.empty()) { return; }
        Identifiers ids;
        out += fmt::format("\n    /// {}\n    struct {} {{\n", note, type_name(list));
        for (const KeptText& name : all) {
            out += fmt::format("        static constexpr const char* {} = {};\n", ids.of(name), literal(name));
        }
        out += "    };\n";
    }

    static std::string note_of(const ParameterInfo& p) {
        std::string note;
        const bool bounded = std::isfinite(p.low) && std::isfinite(p.high) && p.high > p.low;
        if (p.kind == ParameterKind::number && bounded) { note += fmt::format("{:g} to {:g}", p.low, p.high); }
        if (!p.unit.empty()) { note += (note.empty() ? "" : " ") + p.unit; }
        return note + (note.empty() || p.note.empty() ? "" : ": ") + p.note;
    }

    /// The values of a choice, as an enumeration with the words that `Performer::set` takes.
    std::string enumeration(const std::string& name, const KeptList<KeptText>& of) {
        const std::string type = ids_.of(type_name(name));
        Identifiers ids;
        std::string values, words;
        for (const KeptText& value : of) {
            const std::string id = ids.of(value);
            values += (values.empty() ? "" : ", ") + id;
            words += fmt::format("        case {}::{}: return {};\n", type, id, literal(value));
        }
        enums_ +=
            fmt::format("    enum class {0} {{ {1} }};\n    [[nodiscard]] static constexpr std::string_view word({0} "
                        "value) {{\n        switch (value) {{\n{2}        }}\n        return {{}};\n    }}\n\n",
                        type, values, words);
        return type;
    }

    Member member_of(const ParameterInfo& parameter) {
        const std::string id = ids_.of(parameter.name), note = note_of(parameter);
        switch (parameter.kind) {
        case ParameterKind::flag:
            return {"gait::FlagParameter", id, "flag", parameter.name, note};
        case ParameterKind::choice:
            enumeration(parameter.name, parameter.of);
            return {"gait::ChoiceParameter", id, "choice", parameter.name, note};
        case ParameterKind::signal:
            return {"gait::SignalParameter", id, "signal", parameter.name, note};
        default:
            return {"gait::NumberParameter", id, "number", parameter.name, note};
        }
    }

    Member member_of(const ValueInfo& value) {
        const std::string id = ids_.of("gives_" + value.name), note = value.note;
        switch (value.kind) {
        case ParameterKind::flag:
            return {"gait::FlagValue", id, "flag_value", value.name, note};
        case ParameterKind::choice:
            enumeration("gives_" + value.name, value.of);
            return {"gait::ChoiceValue", id, "choice_value", value.name, note};
        default:
            return {"gait::NumberValue", id, "number_value", value.name, note};
        }
    }

    const Character& character_;
    const Document& document_;
    std::string struct_;
    Identifiers ids_;
    std::string enums_;
};

/// `lamplighter.gait.yaml` is of a `Lamplighter`.
std::string struct_of(const HeaderOptions& options) {
    std::string stem = std::filesystem::path(options.document).filename().string();
    stem = stem.substr(0, stem.find('.'));
    const std::string id = Identifiers().of(stem);
    return Identifiers().of(type_name(id));
}

int run_header(const HeaderOptions& options) {
    const Loaded loaded = load(options.document);
    report(loaded.diagnostics);
    if (!loaded.character) { return exit_code(loaded.diagnostics); }
    if (overwrites({{"--out", options.out}, {"--depfile", options.depfile}}, loaded.files)) { return bad_input; }
    const std::string text = Header(loaded, options.name.empty() ? struct_of(options) : options.name).text();
    if (options.out.empty()) {
        print(text);
        return done;
    }
    auto problem = detail::write_file(options.out, text);
    if (!problem && !options.depfile.empty()) {
        problem = detail::write_file(options.depfile, dependencies(options.out, loaded.files));
    }
    if (!problem) { return done; }
    complain(options.out + " " + *problem);
    return bad_input;
}

std::string identifier(const std::string& name) {
    return Identifiers().of(name) == name ? "" : "'" + name + "' is no name for a struct in C++";
}

} // namespace

void add_header(CLI::App& app, Run& run) {
    auto options = std::make_shared<HeaderOptions>();
    CLI::App* command = app.add_subcommand(
        "header", "Writes a document's names as a C++ header: handles, choices, states and marks, found once");
    command->add_option("DOCUMENT", options->document, "the document, NAME.gait.yaml")->required();
    command->add_option("-o,--out", options->out, "the header; without it, it is printed")
        ->check(file_as("a header is written", {"hpp", "h"}))
        ->type_name("FILE.hpp");
    command->add_option("--name", options->name, "the struct's name; else that of the document")
        ->check(CLI::Validator(identifier, "NAME"))
        ->type_name("NAME");
    command->add_option("--depfile", options->depfile, "write the files it was made from, as Make and Ninja read them")
        ->needs("--out")
        ->type_name("FILE");
    command->footer("Example:\n  gait header demo/lamplighter.gait.yaml -o lamplighter.hpp");
    command->callback([options, &run] { run = [options] { return run_header(*options); }; });
}

} // namespace gait::tool
