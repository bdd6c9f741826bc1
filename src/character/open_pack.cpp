#include "gait/open.hpp"

#include "character/derive.hpp"
#include "character/fingerprint.hpp"
#include "character/pack_check.hpp"
#include "character/pack_fields.hpp"
#include "character/pack_format.hpp"
#include "character/small_rows.hpp"

#include <fcntl.h>
#include <sys/mman.h>
#include <sys/stat.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <map>
#include <system_error>
#include <type_traits>

namespace gait {
using namespace detail;
namespace {

/// Reads a pack's fields; after the first that cannot be, all that follow are left as they are.
class PackReader {
public:
    /// What is read is kept in `memory`.
    PackReader(std::span<const std::byte> bytes, KeptMemory* memory) : left_(bytes), memory_(memory) {}

    [[nodiscard]] bool failed() const { return failed_; }
    [[nodiscard]] bool at_end() const { return left_.empty(); }

    template <typename... Values> void operator()(Values&... values) { (read(values), ...); }

private:
    template <typename Value>
    requires std::is_arithmetic_v<Value>
    void read(Value& value) {
        using Written = std::conditional_t<std::is_same_v<Value, std::size_t>, std::uint64_t, Value>;
        Written written{};
        if constexpr (std::is_same_v<Value, bool>) {
            std::uint8_t byte = 0;
            take(&byte, 1);
            failed_ = failed_ || byte > 1;
            value = byte == 1;
        } else {
            take(&written, sizeof written);
            value = Value(written);
        }
    }
    template <typename Value>
    requires std::is_enum_v<Value>
    void read(Value& value) {
        std::underlying_type_t<Value> number{};
        read(number);
        if (number > std::underlying_type_t<Value>(last_of(Value{}))) {
            failed_ = true;
            return;
        }
        value = Value(number);
    }
    void read(KeptText& text) {
        std::size_t count = 0;
        if (!read_count(count, 1)) { return; }
        text = KeptText({reinterpret_cast<const char*>(left_.data()), count}, memory_);
        left_ = left_.subspan(count);
    }
    template <typename Value, typename Allocator> void read(std::vector<Value, Allocator>& list) {
        std::size_t count = 0;
        if (!read_count(count, std::is_arithmetic_v<Value> ? sizeof(Value) : 1)) { return; }
        if constexpr (std::constructible_from<Allocator, KeptMemory*>) {
            list = std::vector<Value, Allocator>(memory_);
        }
        if constexpr (std::is_arithmetic_v<Value>) {
            list.resize(count);
            take(list.data(), count * sizeof(Value));
        } else {
            // A few bytes could ask for many structs: they are made as they are read.
            list.reserve(std::min(count, left_.size() / (1 + sizeof(Value) / 16)));
            for (std::size_t i = 0; i < count && !failed_; ++i) { read(list.emplace_back()); }
        }
    }
    template <typename Value, std::size_t count> void read(std::array<Value, count>& list) {
        for (Value& value : list) { read(value); }
    }
    template <typename Key, typename Value> void read(KeptMap<Key, Value>& map) {
        std::size_t count = 0;
        if (!read_count(count, 1)) { return; }
        map = KeptMap<Key, Value>(memory_);
        for (std::size_t i = 0; i < count && !failed_; ++i) {
            Key key{};
            read(key);
            read(map[std::move(key)]);
        }
    }
    void read(SampleRows& /*rows*/) {} // they stand in a part of their own
    void read(PhaseWarp& warp) {
        int strides = 0;
        KeptList<std::array<double, 4>> pieces;
        read(strides);
        read(pieces);
        auto made = PhaseWarp::of_pieces(strides, pieces, memory_);
        failed_ = failed_ || !made;
        if (made) { warp = std::move(*made); }
    }
    void read(BlendPlane& plane) {
        KeptList<PlanePoint> sites;
        KeptList<Cell> cells;
        KeptList<Stretch> stretches;
        auto method = PlaneMethod::cells;
        read(sites);
        read(cells);
        read(stretches);
        read(method);
        if (failed_ || !BlendPlane::can_be(sites, cells, method, stretches)) {
            failed_ = true;
            return;
        }
        plane = BlendPlane(std::move(sites), std::move(cells), method, std::move(stretches));
    }
    template <typename Struct>
    requires std::is_class_v<Struct>
    void read(Struct& value) {
        fields(value, [&](auto&... parts) { (*this)(parts...); });
    }

    /// A count of what takes so many bytes each at the least.
    bool read_count(std::size_t& count, std::size_t each) {
        std::uint32_t number = 0;
        take(&number, sizeof number);
        failed_ = failed_ || number > left_.size() / each;
        count = number;
        return !failed_;
    }
    void take(void* to, std::size_t bytes) {
        if (failed_ || left_.size() < bytes) {
            failed_ = true;
            return;
        }
        if (bytes > 0) { std::memcpy(to, left_.data(), bytes); }
        left_ = left_.subspan(bytes);
    }

    std::span<const std::byte> left_;
    KeptMemory* memory_;
    bool failed_ = false;
};

OpenedPack refused(PackFault fault, std::string problem) {
    OpenedPack result;
    result.fault = fault;
    result.problem = std::move(problem);
    return result;
}

const char* const pack_again = "pack the character again";

/// A part of the whole, if it lies within it.
std::optional<std::span<const std::byte>> part_of(std::span<const std::byte> whole, std::uint64_t at,
                                                  std::uint64_t bytes) {
    if (at > whole.size() || bytes > whole.size() - at) { return std::nullopt; }
    return whole.subspan(std::size_t(at), std::size_t(bytes));
}

/// What is wrong with a pack's outside, or nothing.
OpenedPack look_at_header(std::span<const std::byte> bytes, PackHeader& header) {
    if (bytes.size() < sizeof header) {
        return refused(PackFault::not_a_pack, "it is too short for a packed character; make one with 'gait pack'");
    }
    std::memcpy(&header, bytes.data(), sizeof header);
    if (header.magic != pack_magic) {
        return refused(PackFault::not_a_pack, "it is no packed character; make one with 'gait pack'");
    }
    if (header.byte_order != pack_byte_order) {
        return refused(PackFault::byte_order,
                       "it was packed for a machine that writes numbers the other way about; pack the character on one "
                       "like this");
    }
    if (header.version != pack_version) {
        return refused(PackFault::version, "it was packed by another version of the library (its form is " +
                                               std::to_string(header.version) + ", this one reads " +
                                               std::to_string(pack_version) + "); " + pack_again);
    }
    if (header.bytes != bytes.size()) {
        return refused(PackFault::cut_short, "it should have " + std::to_string(header.bytes) + " bytes and has " +
                                                 std::to_string(bytes.size()) + "; copy it whole, or " + pack_again);
    }
    const auto rest = bytes.subspan(offsetof(PackHeader, fingerprint));
    if (header.checksum != checksum_of(rest)) {
        return refused(PackFault::damaged,
                       std::string("its bytes are not those that were written; copy it again, or ") + pack_again);
    }
    return {};
}

/// Finds, for the rotations of clips, where they are to be read from.
class RowsReader {
public:
    RowsReader(std::span<const std::byte> bytes, KeptMemory* memory, const OpenOptions& options)
        : bytes_(bytes), memory_(memory), options_(options) {
        if (!options.shares_with) { return; }
        const CharacterData& other = options.shares_with->data();
        for (const auto* clips : {&other.clips, &other.additives}) {
            for (const SampledClip& clip : *clips) {
                others_.emplace(checksum_of(std::as_bytes(clip.rotations.all())), &clip.rotations);
            }
        }
    }

    /// False where they are not there.
    bool read(const PackedRows& packed, SampleRows& rows) {
        const auto part = part_of(bytes_, packed.at, packed.bytes);
        if (!part) { return false; }
        if (packed.coding == RowCoding::small) { return read_small(*part, packed, rows); }
        if (packed.coding != RowCoding::as_played || packed.floats > packed.bytes / sizeof(float) ||
            packed.bytes != packed.floats * sizeof(float)) {
            return false;
        }
        if (share(packed, *part, rows)) { return true; }
        const bool aligned = reinterpret_cast<std::uintptr_t>(part->data()) % cache_line == 0;
        if (options_.keeps_bytes && aligned) {
            rows = SampleRows::borrowed({reinterpret_cast<const float*>(part->data()), std::size_t(packed.floats)});
            borrows_bytes_ = true;
            return true;
        }
        AlignedFloats own(std::size_t(packed.floats), 0.0F, memory_);
        if (!part->empty()) { std::memcpy(own.data(), part->data(), part->size()); }
        rows = SampleRows(std::move(own));
        return true;
    }
    /// What has to live as long as the rows do.
    void keep(std::vector<std::shared_ptr<const void>>& kept) const {
        kept.reserve(2);
        if (borrows_bytes_) { kept.push_back(options_.keeps_bytes); }
        if (borrows_other_) { kept.push_back(options_.shares_with); }
    }

private:
    /// Another character's, if it has the same.
    bool share(const PackedRows& packed, std::span<const std::byte> bytes, SampleRows& rows) {
        const auto [from, to] = others_.equal_range(packed.content);
        for (auto it = from; it != to; ++it) {
            const auto theirs = std::as_bytes(it->second->all());
            if (theirs.size() != bytes.size() || std::memcmp(theirs.data(), bytes.data(), bytes.size()) != 0) {
                continue;
            }
            rows = SampleRows::borrowed(it->second->all());
            borrows_other_ = true;
            return true;
        }
        return false;
    }
    bool read_small(std::span<const std::byte> part, const PackedRows& packed, SampleRows& rows) {
        auto floats = small_rows::decode(part, packed.floats, scratch_, memory_);
        if (!floats) { return false; }
        if (share(packed, std::as_bytes(std::span(*floats)), rows)) { return true; }
        rows = SampleRows(std::move(*floats));
        return true;
    }

    std::span<const std::byte> bytes_;
    KeptMemory* memory_;
    const OpenOptions& options_;
    small_rows::Scratch scratch_;
    std::multimap<std::uint64_t, const SampleRows*> others_;
    bool borrows_bytes_ = false, borrows_other_ = false;
};

/// Bytes that all which is read will about take.
std::size_t room_for(std::span<const std::byte> body, std::span<const std::byte> notes,
                     std::span<const std::byte> table) {
    std::size_t room = 3 * (body.size() + notes.size());
    for (std::size_t at = 0; at + sizeof(PackedRows) <= table.size(); at += sizeof(PackedRows)) {
        PackedRows packed;
        std::memcpy(&packed, table.data() + at, sizeof packed);
        // As played they stay where they are. What a pack says of itself is not believed beyond reason.
        constexpr std::size_t most = std::size_t{1} << 20;
        if (packed.coding == RowCoding::small) {
            room += std::size_t(std::min<std::uint64_t>(packed.floats, most)) * sizeof(float);
        }
    }
    constexpr std::size_t most_at_once = std::size_t{1} << 24;
    return std::min(room, most_at_once);
}

/// What is worked out is kept where the rest is.
void keep_derived_in(CharacterData& data, KeptMemory* memory) {
    const auto keep = [&](auto&... lists) { ((lists = std::remove_reference_t<decltype(lists)>(memory)), ...); };
    keep(data.rest, data.moved_before, data.parents, data.level_order, data.inverse_bind, data.timed, data.ticking,
         data.edges, data.timed_transitions);
}

OpenedPack open_looked_at(std::span<const std::byte> bytes, const PackHeader& header, const OpenOptions& options) {
    const auto damaged = [](const std::string& what) {
        return refused(PackFault::damaged, what + " cannot be played; " + pack_again);
    };
    const std::uint64_t body_at = sizeof(PackHeader);
    const bool ordered = header.notes_at >= body_at && header.rows_at >= header.notes_at;
    const auto body = ordered ? part_of(bytes, body_at, header.notes_at - body_at) : std::nullopt;
    const auto notes = ordered ? part_of(bytes, header.notes_at, header.rows_at - header.notes_at) : std::nullopt;
    const auto table = header.rows_count <= bytes.size() / sizeof(PackedRows)
                           ? part_of(bytes, header.rows_at, header.rows_count * sizeof(PackedRows))
                           : std::nullopt;
    if (!body || !notes || !table) { return damaged("the order of its parts"); }
    auto data = std::make_unique<CharacterData>();
    data->memory = std::make_unique<KeptMemory>(room_for(*body, *notes, *table));
    KeptMemory* const memory = data->memory.get();
    PackReader reader(*body, memory);
    reader(*data);
    if (reader.failed() || !reader.at_end()) { return damaged("what it holds"); }
    if (data->clips.size() + data->additives.size() != header.rows_count) { return damaged("the count of its clips"); }
    RowsReader rows(bytes, memory, options);
    std::size_t next = 0;
    for (auto* clips : {&data->clips, &data->additives}) {
        for (SampledClip& clip : *clips) {
            PackedRows packed;
            std::memcpy(&packed, table->data() + next++ * sizeof packed, sizeof packed);
            if (!rows.read(packed, clip.rotations)) { return damaged("clip '" + clip.name + "'"); }
        }
    }
    rows.keep(data->kept);
    if (const std::string fault = fault_of(*data); !fault.empty()) { return damaged(fault); }
    keep_derived_in(*data, memory);
    lay_out_rig(*data);
    connect_leaves(*data);
    sort_computed(*data);
    sort_transitions(*data);
    note_motions(*data);
    note_layers(*data);
    note_carried(*data);
    keep_true_twins(*data);
    data->layout = PerformerLayout::make(data->needs);
    note_pose_lines(*data);
    data->fingerprint = fingerprint_of(*data);
    if (data->fingerprint != header.fingerprint) { return damaged("its fingerprint"); }
    if (!notes->empty()) {
        PackReader of_notes(*notes, memory);
        note_fields(*data, [&](auto&... parts) { of_notes(parts...); });
        if (of_notes.failed() || !of_notes.at_end()) { return damaged("its notes"); }
    }
    OpenedPack result;
    result.made_from = header.made_from;
    result.character = std::make_shared<const Character>(std::move(data));
    return result;
}

} // namespace

OpenedPack open(std::span<const std::byte> bytes, const OpenOptions& options) {
    PackHeader header;
    OpenedPack refused_as = look_at_header(bytes, header);
    if (refused_as.fault != PackFault::none) { return refused_as; }
    return open_looked_at(bytes, header, options);
}

OpenedPack open_file(const std::filesystem::path& path, const std::shared_ptr<const Character>& shares_with) {
    const auto unreadable = [&](const std::string& why) {
        return refused(PackFault::unreadable, path.string() + ": it cannot be read: " + why);
    };
    const auto system = [&] { return unreadable(std::generic_category().message(errno)); };
    const int file = ::open(path.c_str(), O_RDONLY | O_CLOEXEC | O_NONBLOCK); // NOLINT: the system's
    if (file < 0) { return system(); }
    const std::shared_ptr<const void> closes(nullptr, [file](const void*) { ::close(file); });
    struct stat status {};
    if (::fstat(file, &status) != 0) { return system(); }
    if (!S_ISREG(status.st_mode)) { return unreadable("it is no file"); }
    const auto size = std::size_t(status.st_size);
    if (size == 0) { return refused(PackFault::not_a_pack, path.string() + ": it is empty"); }
    void* const memory = ::mmap(nullptr, size, PROT_READ, MAP_PRIVATE, file, 0);
    if (memory == MAP_FAILED) { return system(); } // NOLINT: the system's
    const std::shared_ptr<const void> mapping(memory, [size](const void* at) {
        ::munmap(const_cast<void*>(at), size); // NOLINT: it is ours
    });
    OpenedPack result = open({static_cast<const std::byte*>(memory), size}, {mapping, shares_with});
    if (result.fault != PackFault::none) { result.problem = path.string() + ": " + result.problem; }
    return result;
}

} // namespace gait
