#include "compile/expression_parser.hpp"

#include "diagnostics/utf8.hpp"

#include "gait/diagnostic.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <charconv>
#include <cmath>
#include <set>

namespace gait::detail {
namespace {

std::string_view words_for(ValueType type) {
    switch (type) {
    case ValueType::number:
        return "a number";
    case ValueType::flag:
        return "a flag";
    case ValueType::choice:
        return "a choice";
    case ValueType::signal:
        break;
    }
    return "a signal";
}

bool is_letter(char c) { return (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || c == '_'; }
bool is_digit(char c) { return c >= '0' && c <= '9'; }

/// A precedence-climbing parser that writes the program as it reads.
class Parser {
public:
    Parser(std::string_view text, const ExpressionScope& scope) : text_(text), scope_(scope) {}

    ParsedExpression run(ValueType wanted) {
        skip_blanks();
        if (at_ >= text_.size()) {
            fail(0, "the expression is empty; write a condition such as 'speed > 0.1'", "syntax");
        }
        const Operand whole = failed() ? Operand{} : expression(1);
        if (!failed() && at_ < text_.size()) { unexpected(); }
        if (!failed() && whole.type != wanted) {
            fail(whole.offset,
                 whole.type == ValueType::choice
                     ? fmt::format("'{0}' is a choice; compare it with one of its values, such as '{0} == {1}'",
                                   snippet(whole), whole.name->values.empty() ? "free" : whole.name->values.front())
                 : wanted == ValueType::flag
                     ? fmt::format(
                           "'{}' is a number and a condition must be true or false; compare it, such as '{} > 0.1'",
                           snippet(whole), snippet(whole))
                     : fmt::format("'{}' is true or false and a number is wanted here", snippet(whole)),
                 "wrong-type");
        }
        result_.type = whole.type;
        return std::move(result_);
    }

private:
    struct Operand {
        ValueType type = ValueType::number;
        std::size_t offset = 0;
        std::size_t end = 0;
        bool compared = false;                        ///< a comparison without parentheses around it
        const ExpressionName* name = nullptr;         ///< when it is a parameter alone
        std::optional<float> constant = std::nullopt; ///< when it is a number alone
    };

    [[nodiscard]] bool failed() const { return result_.error.has_value(); }

    void fail(std::size_t offset, std::string message, std::string code) {
        if (!failed()) { result_.error = {offset, std::move(message), std::move(code)}; }
    }

    [[nodiscard]] std::string_view snippet(const Operand& operand) const {
        return text_.substr(operand.offset, operand.end - operand.offset);
    }

    void skip_blanks() {
        while (at_ < text_.size() &&
               (text_[at_] == ' ' || text_[at_] == '\t' || text_[at_] == '\n' || text_[at_] == '\r')) {
            ++at_;
        }
    }

    void emit(Instruction instruction, int change) {
        depth_ += change;
        if (depth_ > deepest_expression) {
            fail(at_, "the expression nests too deeply; split it in two conditions", "too-deep");
        }
        result_.code.push_back(instruction);
    }

    /// Whether `word` stands here, as a whole word.
    [[nodiscard]] bool stands_here(std::string_view word) const {
        if (text_.substr(at_, word.size()) != word) { return false; }
        const std::size_t end = at_ + word.size();
        return !is_letter(word.front()) || end >= text_.size() || !(is_letter(text_[end]) || is_digit(text_[end]));
    }
    /// Moves past `word` if it stands here.
    bool accept(std::string_view word) {
        if (!stands_here(word)) { return false; }
        at_ += word.size();
        skip_blanks();
        return true;
    }

    void unexpected() {
        const std::string_view rest = text_.substr(at_);
        if (rest.empty()) {
            fail(text_.size(), "the expression ends too early; a value is missing", "syntax");
        } else if (rest.starts_with("&&") || rest.starts_with("||")) {
            fail(at_,
                 fmt::format("'{}' is not used here; write '{}'", rest.substr(0, 2), rest[0] == '&' ? "and" : "or"),
                 "syntax");
        } else if (rest[0] == '!') {
            fail(at_, "'!' is not used here; write 'not'", "syntax");
        } else if (rest.starts_with("=>") || rest.starts_with("=<")) {
            fail(at_, fmt::format("'{}' does not compare; write '{}='", rest.substr(0, 2), rest[1]), "syntax");
        } else if (rest[0] == '=' && at_ > 1 && text_[at_ - 1] == ' ' &&
                   (text_[at_ - 2] == '<' || text_[at_ - 2] == '>')) {
            fail(at_, fmt::format("'{0} =' is written without a blank: '{0}='", text_[at_ - 2]), "syntax");
        } else if (rest[0] == '=') {
            fail(at_, "'=' does not compare; write '=='", "syntax");
        } else if (rest[0] == '"' || rest[0] == '\'') {
            const std::size_t end = rest.find(rest[0], 1);
            const std::string_view word = rest.substr(1, end == std::string_view::npos ? end : end - 1);
            fail(at_, fmt::format("in a condition values and names stand without quotes; write {}", word), "syntax");
        } else if (rest[0] == '%') {
            fail(at_, "a part of a hundred is written as a number: 0.2 for 20 %", "syntax");
        } else if (rest[0] == ',') {
            fail(at_, "a ',' parts nothing here; a number is written with a point, such as 0.2", "syntax");
        } else if (rest[0] == ';') {
            fail(at_, "a ';' parts nothing here; write 'and' between two conditions", "syntax");
        } else if (is_letter(rest[0])) {
            unexpected_word(rest);
        } else if (rest[0] == ')') {
            fail(at_, "this ')' closes nothing; remove it or open one before", "syntax");
        } else {
            std::size_t length = 1;
            while (length < rest.size() && !begins_character(rest[length])) { ++length; }
            std::string written;
            for (const OperationInfo& info : operations()) {
                if (info.notation == Notation::infix) { written += " " + std::string(info.text); }
            }
            fail(at_,
                 fmt::format("'{}' was not expected here; between two values write an operator:{}",
                             rest.substr(0, length), written),
                 "syntax");
        }
    }

    /// A word where an operator belongs.
    void unexpected_word(std::string_view rest) {
        std::size_t length = 1;
        while (length < rest.size() && (is_letter(rest[length]) || is_digit(rest[length]))) { ++length; }
        const std::string word(rest.substr(0, length));
        std::string small = word;
        for (char& c : small) { c = c >= 'A' && c <= 'Z' ? char(c - 'A' + 'a') : c; }
        static const std::set<std::string> units{"s",      "sec",   "second", "seconds", "ms",      "m",  "metre",
                                                 "metres", "meter", "meters", "deg",     "degrees", "km", "cm"};
        const bool after_digit = text_.substr(0, at_).find_last_not_of(' ') != std::string_view::npos &&
                                 is_digit(text_[text_.substr(0, at_).find_last_not_of(' ')]);
        if (after_digit && units.contains(small)) {
            fail(at_, "a unit does not belong in an expression; write the number alone (metres, seconds, degrees)",
                 "syntax");
        } else if (small != word && (small == "and" || small == "or" || small == "not")) {
            fail(at_, fmt::format("'{}' is written small: '{}'", word, small), "syntax");
        } else if (word == "is") {
            fail(at_, "'is' asks where a layer is, as in 'arms is raised'; a parameter's value is compared by '=='",
                 "syntax");
        } else if (word == "not") {
            fail(at_, "'not' stands before a condition, as in 'not wet' or 'not (speed > 2)'", "syntax");
        } else {
            fail(at_,
                 fmt::format(
                     "'{}' was not expected here; before it an operator is missing: and, or, <, >, ==, +, -, *, /",
                     word),
                 "syntax");
        }
    }

    void require(const Operand& operand, ValueType type, std::string_view operation) {
        if (operand.type == type || failed()) { return; }
        fail(operand.offset,
             fmt::format("'{}' is {} and '{}' takes {}{}", snippet(operand), words_for(operand.type), operation,
                         words_for(type),
                         type == ValueType::flag ? "; compare the number first, such as 'speed > 0.1'" : ""),
             "wrong-type");
    }

    /// Notes what is likely not meant as it is written.
    void remark(const OperationInfo& binary, const Operand& left, const Operand& right, bool reads_parameter) {
        const auto add = [&](const Operand& at, std::string message, const char* code) {
            result_.remarks.push_back({at.offset, std::move(message), code});
        };
        const bool equality = binary.operation == Operation::equal || binary.operation == Operation::not_equal;
        if (equality && left.type == ValueType::number && right.type == ValueType::number && reads_parameter) {
            const char* sign = binary.operation == Operation::equal ? "<" : ">";
            const bool to_zero = right.constant && *right.constant == 0;
            const bool positive = left.name != nullptr && !left.name->signed_number;
            add(left,
                fmt::format("'{} {} {}' compares a number that hardly ever is exactly that; leave room, such as '{}'",
                            snippet(left), binary.text, snippet(right),
                            to_zero && positive ? fmt::format("{} {} 0.05", snippet(left), sign)
                            : to_zero           ? fmt::format("abs({}) {} 0.05", snippet(left), sign)
                                      : fmt::format("abs({} - {}) {} 0.1", snippet(left), snippet(right), sign)),
                "equal-number");
        }
        const auto is_angle = [](const Operand& o) { return o.name != nullptr && o.name->angle; };
        for (const auto& [angle, other] : {std::pair(&left, &right), std::pair(&right, &left)}) {
            if (binary.strength == comparison_strength && is_angle(*angle) && other->constant &&
                std::fabs(*other->constant) > 180) {
                add(*other,
                    fmt::format("'{}' goes from -180 to 180 and never reaches {}; beyond 180 it goes on at -180",
                                angle->name->name, *other->constant),
                    "angle-wrap");
            }
        }
        if (binary.operation == Operation::subtract && is_angle(left) && is_angle(right)) {
            add(left,
                fmt::format("'{0} - {1}' is off by a full circle where one has passed 180 and the other has not; write "
                            "turn({1}, {0})",
                            left.name->name, right.name->name),
                "angle-wrap");
        }
    }

    Operand expression(int least_strength) {
        if (++nesting_ > 64) { fail(at_, "the expression nests too deeply; split it in two conditions", "too-deep"); }
        Operand left = failed() ? Operand{} : prefix();
        while (!failed()) {
            const OperationInfo* found = nullptr;
            const std::size_t operator_at = at_;
            for (const OperationInfo& candidate : operations()) {
                // Of two that begin alike the longer one stands here.
                const bool fits = candidate.notation == Notation::infix && candidate.strength >= least_strength &&
                                  stands_here(candidate.text);
                if (fits && (found == nullptr || candidate.text.size() > found->text.size())) { found = &candidate; }
            }
            if (found == nullptr) { break; }
            accept(found->text);
            if (found->strength == comparison_strength && left.compared) {
                fail(operator_at, "comparisons do not chain; write 'a < b and b < c'", "syntax");
                break;
            }
            const std::size_t read_before = result_.parameters.size();
            compared_choice_ = left.type == ValueType::choice ? left.name : nullptr;
            const Operand right = expression(found->strength + 1);
            compared_choice_ = nullptr;
            if (failed()) { break; }
            const bool equality = found->operation == Operation::equal || found->operation == Operation::not_equal;
            remark(*found, left, right, left.name != nullptr || result_.parameters.size() > read_before);
            if (equality && (left.type == ValueType::flag || left.type == ValueType::choice)) {
                require(right, left.type, found->text);
                if (!failed() && right.name != nullptr && left.name != nullptr && left.type == ValueType::choice &&
                    right.name->values != left.name->values) {
                    fail(
                        right.offset,
                        fmt::format("'{}' and '{}' are choices of different things", left.name->name, right.name->name),
                        "wrong-type");
                }
            } else {
                require(left, found->operands, found->text);
                require(right, found->operands, found->text);
            }
            emit({found->operation, 0, 0}, -1);
            left = {found->result, left.offset, right.end, found->strength == comparison_strength};
        }
        --nesting_;
        return left;
    }

    Operand prefix() {
        const std::size_t offset = at_;
        for (const OperationInfo& info : operations()) {
            if (info.notation != Notation::prefix || !accept(info.text)) { continue; }
            const Operand operand = expression(info.strength);
            if (failed()) { return {}; }
            require(operand, info.operands, info.text);
            emit({info.operation, 0, 0}, 0);
            Operand result{info.result, offset, operand.end};
            if (operand.constant) {
                const float value = *operand.constant;
                result.constant = info.apply(&value);
            }
            return result;
        }
        if (accept("(")) {
            Operand inner = expression(1);
            if (failed()) { return {}; }
            if (at_ >= text_.size() || text_[at_] != ')') {
                fail(offset, "this '(' is never closed; add ')'", "syntax");
                return {};
            }
            inner.offset = offset;
            inner.end = at_ + 1;
            inner.compared = false;
            accept(")");
            return inner;
        }
        if (at_ < text_.size() && (is_digit(text_[at_]) || text_[at_] == '.')) { return number(); }
        if (at_ < text_.size() && is_letter(text_[at_])) { return word(); }
        unexpected();
        return {};
    }

    Operand number() {
        const std::size_t offset = at_;
        float value = 0;
        const auto [end, problem] = std::from_chars(text_.data() + at_, text_.data() + text_.size(), value);
        if (problem != std::errc{} || !std::isfinite(value)) {
            fail(offset, "this is not a number that can be held; write one such as 0.15", "syntax");
            return {};
        }
        at_ = std::size_t(end - text_.data());
        const std::size_t number_end = at_;
        if (at_ < text_.size() && is_letter(text_[at_])) {
            fail(at_, "a unit does not belong in an expression; write the number alone (metres, seconds, degrees)",
                 "syntax");
            return {};
        }
        skip_blanks();
        emit({Operation::constant, 0, value}, 1);
        Operand operand{ValueType::number, offset, number_end};
        operand.constant = value;
        return operand;
    }

    std::string_view identifier() {
        const std::size_t start = at_;
        while (at_ < text_.size() && (is_letter(text_[at_]) || is_digit(text_[at_]))) { ++at_; }
        const std::string_view name = text_.substr(start, at_ - start);
        return name;
    }

    Operand word() {
        const std::size_t offset = at_;
        const std::string_view name = identifier();
        const std::size_t end = at_;
        if (name == "state" && at_ < text_.size() && text_[at_] == '.') {
            ++at_;
            return state_reading(offset);
        }
        if (const auto layer = layer_named(name)) { return layer_question(*layer, offset); }
        skip_blanks();
        if (at_ < text_.size() && text_[at_] == '(') { return call(name, offset); }
        if (name == "true" || name == "yes" || name == "false" || name == "no") {
            emit({Operation::constant, 0, name == "true" || name == "yes" ? 1.0F : 0.0F}, 1);
            return {ValueType::flag, offset, end};
        }
        if (compared_choice_ != nullptr) {
            const auto& values = compared_choice_->values;
            const auto argument = scope_.arguments.find(std::string(name));
            const auto value =
                std::find(values.begin(), values.end(),
                          argument == scope_.arguments.end() ? name : std::string_view(argument->second));
            if (value != values.end()) {
                emit({Operation::constant, 0, float(value - values.begin())}, 1);
                return {ValueType::choice, offset, end};
            }
        }
        return parameter(name, offset, end, Operation::parameter);
    }

    Operand parameter(std::string_view name, std::size_t offset, std::size_t end, Operation operation) {
        const auto& all = scope_.parameters;
        if (const auto argument = scope_.arguments.find(std::string(name)); argument != scope_.arguments.end()) {
            name = argument->second;
        }
        const auto known_slot = scope_.slot_of(name);
        const auto found = known_slot ? all.begin() + std::ptrdiff_t(*known_slot) : all.end();
        if (found == all.end() && compared_choice_ != nullptr) {
            const std::string near = nearest_name(std::string(name), strings_of(compared_choice_->values));
            fail(offset,
                 fmt::format("'{}' is never '{}'; {}", compared_choice_->name, name,
                             near.empty() ? fmt::format("it is one of {}", fmt::join(compared_choice_->values, ", "))
                                          : fmt::format("did you mean '{}'?", near)),
                 "unknown-value");
            return {};
        }
        if (found == all.end()) {
            std::vector<std::string> known;
            for (const auto& p : all) { known.push_back(p.name); }
            const std::string near = nearest_name(std::string(name), known);
            fail(offset,
                 near.empty() ? fmt::format("no parameter '{}'; add it under 'parameters'", name)
                              : fmt::format("no parameter '{}'; did you mean '{}'?", name, near),
                 "unknown-parameter");
            return {};
        }
        const auto slot = std::uint16_t(found - all.begin());
        result_.parameters.push_back(slot);
        emit({operation, slot, 0}, 1);
        if (found->type == ValueType::signal) {
            if (!scope_.signals_hold) {
                fail(offset,
                     fmt::format("'{0}' is a signal, which a transition takes by its own key; write 'signal: {0}' "
                                 "beside 'when'",
                                 name),
                     "wrong-type");
            }
            return {ValueType::flag, offset, end};
        }
        Operand operand{found->type, offset, end};
        operand.name = &*found;
        return operand;
    }

    /// Reads `elapsed` and the like, after the dot that follows `whose`.
    std::optional<Reading> reading_of(std::string_view whose, std::size_t offset) {
        const std::string_view name = identifier();
        const auto found = std::find(reading_names.begin(), reading_names.end(), name);
        if (found != reading_names.end()) { return Reading(found - reading_names.begin()); }
        fail(offset,
             fmt::format("{2} has no '{1}'; it has {0}.elapsed, {0}.left, {0}.phase, {0}.loops and {0}.ended", whose,
                         name, whose == "state" ? "a state" : fmt::format("'{}'", whose)),
             "unknown-reading");
        return std::nullopt;
    }

    Operand state_reading(std::size_t offset) {
        const auto reading = reading_of("state", offset);
        if (!reading) { return {}; }
        const std::size_t end = at_;
        skip_blanks();
        result_.reads_state = true;
        emit({Operation::reading, std::uint16_t(*reading), 0}, 1);
        return {*reading == Reading::ended ? ValueType::flag : ValueType::number, offset, end};
    }

    [[nodiscard]] std::optional<std::size_t> layer_named(std::string_view name) const {
        const auto found = std::find(scope_.layers.begin(), scope_.layers.end(), name);
        if (found == scope_.layers.end()) { return std::nullopt; }
        return std::size_t(found - scope_.layers.begin());
    }

    /// `arms is raised`, `arms is not lighting.hold`, `arms.elapsed`: as it stood when the step began.
    Operand layer_question(std::size_t layer, std::size_t offset) {
        const std::string& name = scope_.layers[layer];
        if (at_ < text_.size() && text_[at_] == '.') {
            ++at_;
            const auto reading = reading_of(name, offset);
            if (!reading) { return {}; }
            const std::size_t end = at_;
            skip_blanks();
            look(layer, "", *reading, offset);
            return {*reading == Reading::ended ? ValueType::flag : ValueType::number, offset, end};
        }
        skip_blanks();
        if (!accept("is")) {
            fail(offset,
                 fmt::format("'{0}' is a layer; ask for its state, such as '{0} is STATE', or for {0}.elapsed", name),
                 "wrong-type");
            return {};
        }
        const bool negated = accept("not");
        const std::size_t state_at = at_;
        std::string state(identifier());
        while (at_ < text_.size() && text_[at_] == '.') {
            ++at_;
            state += "." + std::string(identifier());
        }
        const std::size_t end = at_;
        skip_blanks();
        if (state.empty()) {
            fail(state_at, fmt::format("after '{} is' the name of one of its states is missing", name), "syntax");
            return {};
        }
        look(layer, state, Reading::elapsed, state_at);
        if (negated) { emit({Operation::negation, 0, 0}, 0); }
        return {ValueType::flag, offset, end};
    }

    void look(std::size_t layer, const std::string& state, Reading reading, std::size_t offset) {
        const auto known = scope_.layer_slots.find(ExpressionScope::layer_key(layer, state, reading));
        std::uint16_t slot = 0;
        if (known != scope_.layer_slots.end()) {
            slot = known->second;
        } else if (scope_.look_at_layer) {
            slot = scope_.look_at_layer(layer, state, reading, offset);
        }
        emit({Operation::parameter, slot, 0}, 1);
    }

    Operand call(std::string_view name, std::size_t offset) {
        accept("(");
        if (name == "raw") { return raw(offset); }
        if (scope_.add_edge && (name == "rises" || name == "falls")) { return edge(name, offset); }
        const auto all = operations();
        const auto is_function = [](const OperationInfo& info) {
            return info.notation == Notation::function || info.notation == Notation::folded;
        };
        const auto found = std::find_if(
            all.begin(), all.end(), [&](const OperationInfo& info) { return is_function(info) && info.text == name; });
        if (found == all.end()) {
            std::vector<std::string> known{"raw"};
            if (scope_.add_edge) { known.insert(known.end(), {"rises", "falls"}); }
            for (const OperationInfo& info : all) {
                if (is_function(info)) { known.emplace_back(info.text); }
            }
            const std::string near = nearest_name(std::string(name), known);
            fail(offset,
                 near.empty() ? fmt::format("no function '{}'; there are {}", name, fmt::join(known, ", "))
                              : fmt::format("no function '{}'; did you mean '{}'?", name, near),
                 "unknown-function");
            return {};
        }
        const bool folds = found->notation == Notation::folded;
        int count = 0;
        while (!failed()) {
            const Operand argument = expression(1);
            if (failed()) { return {}; }
            require(argument, found->operands, name);
            ++count;
            // Any number of arguments folds pair by pair.
            if (folds && count > 1) { emit({found->operation, 0, 0}, -1); }
            if (!accept(",")) { break; }
        }
        if (failed()) { return {}; }
        if (at_ >= text_.size() || text_[at_] != ')') {
            fail(offset, fmt::format("'{}(' is never closed; write {}", name, found->usage), "syntax");
            return {};
        }
        const std::size_t end = at_ + 1;
        accept(")");
        if (folds ? count < 2 : count != found->values) {
            fail(offset,
                 fmt::format("'{}' was given {} value{}; write {}", name, count, count == 1 ? "" : "s", found->usage),
                 "wrong-arguments");
            return {};
        }
        if (!folds) { emit({found->operation, 0, 0}, 1 - count); }
        return {found->result, offset, end};
    }

    /// `rises(flag)` or `falls(flag)`: a slot of its own watches the flag.
    Operand edge(std::string_view name, std::size_t offset) {
        const std::size_t first = result_.code.size();
        const bool read_state = result_.reads_state;
        const int depth = depth_;
        result_.reads_state = false;
        const Operand watched = expression(1);
        if (failed()) { return {}; }
        require(watched, ValueType::flag, name);
        if (result_.reads_state) {
            fail(watched.offset,
                 fmt::format("'{}' watches parameters and cannot speak of a state; compare state readings directly",
                             name),
                 "wrong-arguments");
        }
        if (at_ >= text_.size() || text_[at_] != ')') {
            fail(offset, fmt::format("'{0}(' is never closed; write {0}(wet)", name), "syntax");
        }
        if (failed()) { return {}; }
        const std::size_t end = at_ + 1;
        accept(")");
        std::vector<Instruction> code(result_.code.begin() + std::ptrdiff_t(first), result_.code.end());
        result_.code.resize(first);
        depth_ = depth;
        result_.reads_state = read_state;
        const std::uint16_t slot = scope_.add_edge(name == "rises", std::move(code));
        result_.parameters.push_back(slot);
        emit({Operation::parameter, slot, 0}, 1);
        return {ValueType::flag, offset, end};
    }

    Operand raw(std::size_t offset) {
        const std::size_t name_at = at_;
        const std::string_view name = at_ < text_.size() && is_letter(text_[at_]) ? identifier() : std::string_view{};
        skip_blanks();
        if (name.empty() || at_ >= text_.size() || text_[at_] != ')') {
            fail(name_at, "'raw' takes the name of one parameter; write raw(speed)", "wrong-arguments");
            return {};
        }
        const std::size_t end = at_ + 1;
        accept(")");
        Operand operand = parameter(name, name_at, end, Operation::raw_parameter);
        operand.offset = offset;
        return operand;
    }

    std::string_view text_;
    const ExpressionScope& scope_;
    ParsedExpression result_;
    std::size_t at_ = 0;
    int depth_ = 0;
    int nesting_ = 0;
    const ExpressionName* compared_choice_ = nullptr; ///< what the value being read is compared with
};

} // namespace

ParsedExpression parse_expression(std::string_view text, const ExpressionScope& scope, ValueType wanted) {
    return Parser(text, scope).run(wanted);
}

} // namespace gait::detail
