#include "gait/stage.hpp"

#include "page.hpp"
#include "put_on.hpp"
#include "wire.hpp"

#include "gait/inspect.hpp"

#include <boost/asio/io_context.hpp>
#include <boost/asio/ip/tcp.hpp>
#include <boost/asio/post.hpp>
#include <boost/asio/steady_timer.hpp>
#include <boost/beast/core.hpp>
#include <boost/beast/http.hpp>
#include <boost/beast/websocket.hpp>
#include <fmt/format.h>

#include <charconv>
#include <chrono>
#include <deque>
#include <map>
#include <random>
#include <set>
#include <thread>

namespace gait {
namespace {

namespace asio = boost::asio;
namespace beast = boost::beast;
namespace http = beast::http;
namespace websocket = beast::websocket;
using boost::system::error_code;
using tcp = asio::ip::tcp;
using Clock = std::chrono::steady_clock;
using namespace stage;

constexpr std::size_t most_pages = 32;
constexpr std::size_t most_connections = 128;
constexpr std::size_t longest_message = 8192;        // bytes
constexpr double most_messages = 240;                // a second, of one page
constexpr std::size_t most_waiting_bytes = 16 << 20; // for a page that reads slowly, history included
constexpr std::size_t few_waiting = 8;               // frames: above, a slow page is spared some
constexpr auto looks_at_files = std::chrono::milliseconds(200);

std::string drawn_token() {
    std::random_device device;
    std::string token;
    for (int word = 0; word < 4; ++word) { token += fmt::format("{:08x}", device()); }
    return token;
}

/// Equal or not, in a time that does not tell how much of it was.
bool same_text(std::string_view a, std::string_view b) {
    if (a.size() != b.size()) { return false; }
    unsigned differs = 0;
    for (std::size_t i = 0; i < a.size(); ++i) { differs |= unsigned(static_cast<unsigned char>(a[i] ^ b[i])); }
    return differs == 0;
}

/// When files were last written; a file that is gone counts as never.
std::map<std::string, std::int64_t> written_at(const std::vector<std::filesystem::path>& files) {
    std::map<std::string, std::int64_t> times;
    for (const auto& file : files) {
        std::error_code problem;
        const auto time = std::filesystem::last_write_time(file, problem);
        times[file.string()] = problem ? 0 : time.time_since_epoch().count();
    }
    return times;
}

/// What reading a document again came to.
struct Reloaded {
    std::shared_ptr<const Loaded> loaded;
    nlohmann::json plan;
    DrawnBody body;
    Diagnostics findings;
};

/// What a colleague would remark, beside what loading said.
Diagnostics findings_of(const Loaded& loaded) {
    Diagnostics all = loaded.diagnostics;
    if (loaded.character) {
        const AssetsRead assets = load_assets(loaded.document);
        const Diagnostics remarks = inspect(loaded.document, assets.assets, loaded.character.get());
        all.insert(all.end(), remarks.begin(), remarks.end());
    }
    return all;
}

Reloaded read_again(const std::filesystem::path& document, Completeness completeness) {
    Reloaded again;
    auto loaded = std::make_shared<Loaded>(load(document, completeness));
    if (loaded->character) {
        again.plan = plan_of(*loaded->character);
        again.body = drawn_body(*loaded);
    }
    again.findings = loaded->diagnostics;
    again.loaded = std::move(loaded);
    return again;
}

} // namespace

/// One thread plays, answers and writes; another reads files again where they have changed.
struct Stage::Inside {
    class Page;
    class Visitor;

    explicit Inside(const StageDefinition& what)
        : definition(what), acceptor(io), ticks(io), looks(io), token(drawn_token()) {
        read = read_again(definition.document, definition.completeness);
        performance.emplace(read.loaded, put_on(definition, read.loaded).sheet);
        listen();
        watch_files();
    }
    ~Inside() {
        if (reader.joinable()) { reader.join(); }
    }

    void listen() {
        error_code problem;
        const tcp::endpoint here(asio::ip::make_address("127.0.0.1"), definition.port);
        acceptor.open(here.protocol(), problem);
        if (!problem) { acceptor.set_option(asio::socket_base::reuse_address(true), problem); }
        if (!problem) { acceptor.bind(here, problem); }
        if (!problem) { acceptor.listen(asio::socket_base::max_listen_connections, problem); }
        if (problem) {
            throw StageError(
                fmt::format("port {} of 127.0.0.1 cannot be listened on: {}; leave --port out to take one that "
                            "is free",
                            definition.port, problem.message()));
        }
        port = acceptor.local_endpoint().port();
    }

    [[nodiscard]] std::string host() const { return fmt::format("127.0.0.1:{}", port); }
    [[nodiscard]] std::string address() const { return fmt::format("http://{}/{}/", host(), token); }
    /// Whether a request was meant for us, and comes from a page of ours or from no page.
    [[nodiscard]] bool is_ours(std::string_view asked_host, std::string_view origin) const {
        const std::string other = fmt::format("localhost:{}", port);
        const bool here = asked_host == host() || asked_host == other;
        return here && (origin.empty() || origin == "http://" + host() || origin == "http://" + other);
    }

    /// What `picture/N` names; null where it names none.
    [[nodiscard]] const detail::MeshPicture* picture_at(std::string_view path) const {
        constexpr std::string_view before = "picture/";
        std::size_t index = 0;
        if (!path.starts_with(before)) { return nullptr; }
        const char* end = path.data() + path.size();
        const auto [rest, problem] = std::from_chars(path.data() + before.size(), end, index);
        const bool there = problem == std::errc() && rest == end && index < read.body.pictures.size();
        return there ? &read.body.pictures[index] : nullptr;
    }

    void accept();
    void tick();
    void publish(WithPose with_pose);
    void tell_all(const nlohmann::json& message);
    void answer(Page& page, const std::string& message);
    void watch_files();
    void look_for_changes();
    void take_reloaded(Reloaded again);
    [[nodiscard]] nlohmann::json clock() const { return {{"says", "clock"}, {"playing", playing}, {"slow", slow}}; }
    void remember(const std::string& row);

    StageDefinition definition;
    asio::io_context io;
    tcp::acceptor acceptor;
    asio::steady_timer ticks, looks;
    std::string token;
    std::uint16_t port = 0;
    Reloaded read;
    std::optional<Performance> performance;
    std::set<std::shared_ptr<Page>> pages;
    std::size_t connections = 0;
    std::deque<std::shared_ptr<const std::string>> rows; ///< of the newest frames, without their poses
    std::int64_t last_row = -1;
    nlohmann::json findings = nlohmann::json::array();
    bool broken = false; ///< the files as they are now do not play
    bool playing = true;
    int slow = 1;
    std::int64_t ticked = 0;
    Clock::time_point next_tick;
    std::map<std::string, std::int64_t> seen_files;
    std::vector<std::filesystem::path> watched;
    std::thread reader;
    bool reading = false;
    int looks_since_cues = 0;
};

/// A page that watches: what it says is bounded, what it is told waits in a queue of its own.
class Stage::Inside::Page : public std::enable_shared_from_this<Page> {
public:
    Page(tcp::socket&& socket, Inside& inside) : socket_(std::move(socket)), inside_(inside) {}

    void begin(http::request<http::empty_body> request) {
        socket_.set_option(websocket::stream_base::timeout::suggested(beast::role_type::server));
        socket_.read_message_max(longest_message);
        socket_.async_accept(request, [self = shared_from_this()](error_code problem) {
            if (problem) { return; }
            self->inside_.pages.insert(self);
            self->greet();
            self->read();
        });
    }

    void tell(const nlohmann::json& message) {
        send({std::make_shared<const std::string>(
                  message.dump(-1, ' ', false, nlohmann::json::error_handler_t::replace)),
              true});
    }
    void show(const std::shared_ptr<const std::string>& frame) {
        // A page that reads slowly gets fewer.
        if (waiting_.size() < few_waiting) { send({frame, false}); }
    }
    void row(const std::shared_ptr<const std::string>& frame) { send({frame, false}); }

    bool wants_ways = false;

    void close() {
        if (closing_) { return; }
        closing_ = true;
        inside_.pages.erase(shared_from_this());
        beast::get_lowest_layer(socket_).close();
    }

private:
    struct Message {
        std::shared_ptr<const std::string> bytes;
        bool text = false;
    };

    void greet() {
        tell(describe(*inside_.performance, inside_.read.plan, inside_.read.body));
        tell({{"says", "findings"}, {"broken", inside_.broken}, {"findings", inside_.findings}});
        tell(inside_.clock());
        // What the score shows so far, in one message: how long each is, and each.
        auto history = std::make_shared<std::string>(1, '\2');
        for (const auto& row : inside_.rows) {
            const auto length = std::uint32_t(row->size());
            history->append(reinterpret_cast<const char*>(&length), sizeof(length));
            history->append(*row);
        }
        send({history, false});
        row(std::make_shared<const std::string>(frame_bytes(*inside_.performance, WithPose::yes)));
    }

    void read() {
        buffer_.clear();
        socket_.async_read(buffer_, [self = shared_from_this()](error_code problem, std::size_t) {
            if (problem || self->closing_) { return self->close(); }
            if (!self->may_speak()) {
                self->tell({{"says", "refused"}, {"why", "more messages a second than a page may send"}});
                return self->close_politely();
            }
            if (self->socket_.got_text()) {
                self->inside_.answer(*self, beast::buffers_to_string(self->buffer_.data()));
            } else {
                self->tell({{"says", "refused"}, {"why", "a message is text"}});
            }
            self->read();
        });
    }

    /// As many messages as hands make, and a little more at once.
    bool may_speak() {
        const auto now = Clock::now();
        const double passed = std::chrono::duration<double>(now - heard_).count();
        heard_ = now;
        allowance_ = std::min(2 * most_messages, allowance_ + passed * most_messages) - 1;
        return allowance_ >= 0;
    }

    void close_politely() {
        closing_ = true;
        inside_.pages.erase(shared_from_this());
        socket_.async_close(websocket::close_code::policy_error, [self = shared_from_this()](error_code) {});
    }

    void send(const Message& message) {
        if (closing_) { return; }
        if (waiting_bytes_ > most_waiting_bytes) {
            // Later: somebody is going through the pages now.
            return asio::post(inside_.io, [self = shared_from_this()] { self->close(); });
        }
        waiting_.push_back(message);
        waiting_bytes_ += message.bytes->size();
        if (waiting_.size() == 1) { write(); }
    }
    void write() {
        socket_.text(waiting_.front().text);
        socket_.async_write(asio::buffer(*waiting_.front().bytes),
                            [self = shared_from_this()](error_code problem, std::size_t) {
                                if (problem || self->closing_) { return self->close(); }
                                self->waiting_bytes_ -= self->waiting_.front().bytes->size();
                                self->waiting_.pop_front();
                                if (!self->waiting_.empty()) { self->write(); }
                            });
    }

    websocket::stream<beast::tcp_stream> socket_;
    Inside& inside_;
    beast::flat_buffer buffer_;
    std::deque<Message> waiting_;
    std::size_t waiting_bytes_ = 0;
    double allowance_ = 2 * most_messages;
    Clock::time_point heard_ = Clock::now();
    bool closing_ = false;
};

/// A connection over which a page's parts are asked for, until it becomes a page itself.
class Stage::Inside::Visitor : public std::enable_shared_from_this<Visitor> {
public:
    Visitor(tcp::socket&& socket, Inside& inside) : stream_(std::move(socket)), inside_(inside) {
        ++inside_.connections;
    }
    ~Visitor() { --inside_.connections; }
    Visitor(const Visitor&) = delete;
    Visitor& operator=(const Visitor&) = delete;

    void read() {
        parser_.emplace();
        parser_->header_limit(8192);
        parser_->body_limit(0);
        stream_.expires_after(std::chrono::seconds(30));
        http::async_read(stream_, buffer_, *parser_, [self = shared_from_this()](error_code problem, std::size_t) {
            if (problem) { return; }
            self->answer();
        });
    }

private:
    using Answer = http::response<http::string_body>;

    static std::string_view text_of(beast::string_view text) { return {text.data(), text.size()}; }

    /// The path within the page; nothing where the token is not there.
    [[nodiscard]] std::optional<std::string_view> asked_for() const {
        std::string_view path = text_of(parser_->get().target());
        path = path.substr(0, path.find('?'));
        if (path.size() < inside_.token.size() + 2 || path[0] != '/') { return std::nullopt; }
        const std::string_view token = path.substr(1, inside_.token.size()), rest = path.substr(1 + token.size());
        if (!same_text(token, inside_.token) || rest[0] != '/') { return std::nullopt; }
        return rest.substr(1);
    }

    void answer() {
        const auto& request = parser_->get();
        const auto path = asked_for();
        if (!inside_.is_ours(text_of(request[http::field::host]), text_of(request[http::field::origin])) || !path) {
            return send(http::status::forbidden, "text/plain; charset=utf-8",
                        "This stage answers only to the address that `gait stage` printed.\n");
        }
        if (websocket::is_upgrade(request) && *path == "live") {
            if (inside_.pages.size() >= most_pages) {
                return send(http::status::service_unavailable, "text/plain; charset=utf-8", "Too many pages watch.\n");
            }
            stream_.expires_never();
            std::make_shared<Page>(stream_.release_socket(), inside_)->begin(parser_->release());
            return;
        }
        if (request.method() != http::verb::get && request.method() != http::verb::head) {
            return send(http::status::method_not_allowed, "text/plain; charset=utf-8", "A page is only read.\n");
        }
        if (*path == "body") { return send(http::status::ok, "application/octet-stream", inside_.read.body.bytes); }
        if (const detail::MeshPicture* picture = inside_.picture_at(*path)) {
            return send(http::status::ok, picture->type, picture->bytes);
        }
        if (const PagePart* part = page_part(path->empty() ? "index.html" : *path)) {
            return send(http::status::ok, part->type, std::string(part->bytes));
        }
        send(http::status::not_found, "text/plain; charset=utf-8", "There is nothing here.\n");
    }

    void send(http::status status, const char* type, std::string body) {
        const auto& request = parser_->get();
        answer_ = std::make_shared<Answer>(status, request.version());
        answer_->set(http::field::content_type, type);
        answer_->set(http::field::cache_control, "no-store");
        answer_->set("X-Content-Type-Options", "nosniff");
        answer_->set("Referrer-Policy", "no-referrer");
        answer_->set(
            "Content-Security-Policy",
            fmt::format("default-src 'none'; script-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data: "
                        "blob:; connect-src 'self' ws://{} ws://localhost:{}; base-uri 'none'; form-action 'none'; "
                        "frame-ancestors 'none'",
                        inside_.host(), inside_.port));
        answer_->keep_alive(request.keep_alive() && status == http::status::ok);
        const std::size_t size = body.size();
        if (request.method() != http::verb::head) { answer_->body() = std::move(body); }
        answer_->content_length(size);
        http::async_write(stream_, *answer_, [self = shared_from_this()](error_code problem, std::size_t) {
            if (problem || !self->answer_->keep_alive()) {
                error_code ignored;
                self->stream_.socket().shutdown(tcp::socket::shutdown_send, ignored);
                return;
            }
            self->read();
        });
    }

    beast::tcp_stream stream_;
    Inside& inside_;
    beast::flat_buffer buffer_{16384};
    std::optional<http::request_parser<http::empty_body>> parser_;
    std::shared_ptr<Answer> answer_;
};

void Stage::Inside::accept() {
    acceptor.async_accept([this](error_code problem, tcp::socket socket) {
        if (problem == asio::error::operation_aborted) { return; }
        if (!problem && connections < most_connections) { std::make_shared<Visitor>(std::move(socket), *this)->read(); }
        accept();
    });
}

void Stage::Inside::remember(const std::string& row) {
    // Of frames that were forgotten there is another story now.
    while (!rows.empty() && last_row >= performance->frame()) {
        rows.pop_back();
        --last_row;
    }
    rows.push_back(std::make_shared<const std::string>(row));
    last_row = performance->frame();
    while (std::int64_t(rows.size()) > frames_kept) { rows.pop_front(); }
}

void Stage::Inside::publish(WithPose with_pose) {
    const auto frame = std::make_shared<const std::string>(frame_bytes(*performance, with_pose));
    for (const auto& page : pages) { page->show(frame); }
}

void Stage::Inside::tell_all(const nlohmann::json& message) {
    for (const auto& page : pages) { page->tell(message); }
}

void Stage::Inside::tick() {
    constexpr auto interval = std::chrono::nanoseconds(1'000'000'000 / frames_per_second);
    const auto now = Clock::now();
    next_tick += interval;
    // Never in a burst: what was missed is missed.
    if (next_tick < now) { next_tick = now + interval; }
    ticks.expires_at(next_tick);
    ticks.async_wait([this](error_code problem) {
        if (!problem) { tick(); }
    });
    ++ticked;
    const bool asked = std::any_of(pages.begin(), pages.end(), [](const auto& page) { return page->wants_ways; });
    constexpr int ways_every = 6;
    if (asked && ticked % ways_every == 0) {
        const nlohmann::json ways = describe_ways(performance->now().performer);
        for (const auto& page : pages) {
            if (page->wants_ways) { page->tell(ways); }
        }
    }
    if (!playing || ticked % slow != 0) { return; }
    const bool anew = performance->frame() < performance->newest();
    performance->play();
    if (!anew) { remember(frame_bytes(*performance, WithPose::no)); }
    publish(WithPose::yes);
    if (ticked % frames_per_second != 0) { return; }
    const std::vector<Snap> flaws = performance->take_flaws();
    if (flaws.empty()) { return; }
    nlohmann::json told = nlohmann::json::array();
    const double since = double(performance->frame()) / frames_per_second - performance->now().performer.time();
    for (const Snap& snap : flaws) {
        told.push_back({{"time", snap.time + since},
                        {"ratio", snap.ratio},
                        {"jolt", snap.jolt},
                        {"joint", snap.joint},
                        {"transition", snap.transition}});
    }
    tell_all({{"says", "snaps"}, {"snaps", told}});
}

void Stage::Inside::answer(Page& page, const std::string& message) {
    const auto meaning = understand(message, performance->character());
    if (const auto* why = std::get_if<std::string>(&meaning)) {
        return page.tell({{"says", "refused"}, {"why", *why}});
    }
    const Ask& ask = std::get<Ask>(meaning);
    switch (ask.kind) {
    case Ask::Kind::input:
        performance->ask(ask.input);
        return;
    case Ask::Kind::pause:
    case Ask::Kind::play:
        playing = ask.kind == Ask::Kind::play;
        return tell_all(clock());
    case Ask::Kind::slow:
        slow = ask.slow;
        return tell_all(clock());
    case Ask::Kind::step:
        if (playing) {
            playing = false;
            tell_all(clock());
        }
        if (ask.frame > 0 && performance->frame() == performance->newest()) {
            performance->play();
            remember(frame_bytes(*performance, WithPose::no));
        } else {
            performance->go_to(performance->frame() + ask.frame);
        }
        return publish(WithPose::yes);
    case Ask::Kind::go_to:
        performance->go_to(ask.frame);
        return publish(WithPose::yes);
    case Ask::Kind::ways:
        page.wants_ways = ask.wanted;
        return;
    case Ask::Kind::cues:
        return page.tell({{"says", "cues"}, {"text", performance->cue_sheet()}});
    }
}

void Stage::Inside::watch_files() {
    watched = read.loaded->files;
    if (watched.empty()) { watched.push_back(definition.document); }
    seen_files = written_at(watched);
}

void Stage::Inside::look_for_changes() {
    looks.expires_after(looks_at_files);
    looks.async_wait([this](error_code problem) {
        if (!problem) { look_for_changes(); }
    });
    if (reading) { return; }
    auto now = written_at(watched);
    if (now == seen_files) { return; }
    seen_files = std::move(now);
    reading = true;
    if (reader.joinable()) { reader.join(); }
    reader = std::thread([this, document = definition.document, completeness = definition.completeness] {
        Reloaded again;
        try {
            again = read_again(document, completeness);
            if (again.loaded->character) { again.findings = findings_of(*again.loaded); }
        } catch (const std::exception& problem) {
            Diagnostic out;
            out.code = "out-of-memory";
            out.message = problem.what();
            out.file = document.string();
            again.findings.push_back(out);
        }
        asio::post(io, [this, again = std::move(again)]() mutable { take_reloaded(std::move(again)); });
    });
}

void Stage::Inside::take_reloaded(Reloaded again) {
    reading = false;
    findings = describe(again.findings);
    broken = !again.loaded || !again.loaded->character;
    if (again.loaded && !again.loaded->files.empty()) {
        // A broken document may name fewer files: those known are watched on.
        std::set<std::filesystem::path> all(again.loaded->files.begin(), again.loaded->files.end());
        if (broken) { all.insert(watched.begin(), watched.end()); }
        watched.assign(all.begin(), all.end());
        const auto now = written_at(watched);
        for (const auto& [file, time] : now) { seen_files.try_emplace(file, time); }
        std::erase_if(seen_files, [&](const auto& file) { return now.count(file.first) == 0; });
    }
    if (!broken) {
        read = std::move(again);
        const std::vector<std::string> gone = performance->reload(read.loaded);
        rows.clear();
        nlohmann::json whole = describe(*performance, read.plan, read.body);
        whole["gone"] = gone;
        tell_all(whole);
        publish(WithPose::yes);
    }
    tell_all({{"says", "findings"}, {"broken", broken}, {"findings", findings}});
}

Stage::Stage(const StageDefinition& definition) : inside_(std::make_unique<Inside>(definition)) {}
Stage::~Stage() = default;

std::string Stage::address() const { return inside_->address(); }
const Diagnostics& Stage::diagnostics() const { return inside_->read.findings; }

void Stage::run() {
    inside_->next_tick = Clock::now();
    inside_->accept();
    inside_->tick();
    inside_->look_for_changes();
    inside_->io.run();
}

void Stage::stop() { inside_->io.stop(); }

} // namespace gait
