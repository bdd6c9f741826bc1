#include "character/pack_fields.hpp"
#include "character/pack_format.hpp"
#include "character/small_rows.hpp"
#include "files/small_rows_writer.hpp"
#include "gait/pack.hpp"

#include <map>
#include <type_traits>

namespace gait {
using namespace detail;
namespace {

/// Writes a pack's fields in a row.
class PackWriter {
public:
    template <typename... Values> void operator()(const Values&... values) { (write(values), ...); }

    [[nodiscard]] const std::vector<std::byte>& bytes() const { return bytes_; }
    /// The rotations of clips, in the order in which they were met.
    [[nodiscard]] const std::vector<const SampleRows*>& rows() const { return rows_; }

private:
    template <typename Value>
    requires std::is_arithmetic_v<Value>
    void write(Value value) {
        using Written = std::conditional_t<std::is_same_v<Value, std::size_t>, std::uint64_t, Value>;
        if constexpr (std::is_same_v<Value, bool>) {
            bytes_.push_back(std::byte(value ? 1 : 0));
        } else {
            put(Written(value));
        }
    }
    template <typename Value>
    requires std::is_enum_v<Value>
    void write(Value value) { put(std::underlying_type_t<Value>(value)); }
    void write(const KeptText& text) {
        put(std::uint32_t(text.size()));
        for (const char c : text) { bytes_.push_back(std::byte(c)); }
    }
    template <typename Value, typename Allocator> void write(const std::vector<Value, Allocator>& list) {
        put(std::uint32_t(list.size()));
        for (const Value& value : list) { write(value); }
    }
    template <typename Value, std::size_t count> void write(const std::array<Value, count>& list) {
        for (const Value& value : list) { write(value); }
    }
    template <typename Key, typename Value> void write(const KeptMap<Key, Value>& map) {
        put(std::uint32_t(map.size()));
        for (const auto& [key, value] : map) { (*this)(key, value); }
    }
    void write(const SampleRows& rows) { rows_.push_back(&rows); }
    void write(const PhaseWarp& warp) { (*this)(warp.strides(), warp.pieces()); }
    void write(const BlendPlane& plane) { (*this)(plane.sites(), plane.cells(), plane.stretches(), plane.method()); }
    template <typename Struct>
    requires std::is_class_v<Struct>
    void write(const Struct& value) {
        fields(value, [&](const auto&... parts) { (*this)(parts...); });
    }

    template <typename Value> void put(Value value) {
        const auto raw = std::as_bytes(std::span(&value, 1));
        bytes_.insert(bytes_.end(), raw.begin(), raw.end());
    }

    std::vector<std::byte> bytes_;
    std::vector<const SampleRows*> rows_;
};

void pad(std::vector<std::byte>& bytes, std::size_t multiple) {
    bytes.resize(round_up(bytes.size(), multiple), std::byte{});
}

template <typename Struct> void put_at(std::vector<std::byte>& bytes, std::size_t at, const Struct& value) {
    std::memcpy(bytes.data() + at, &value, sizeof value);
}

} // namespace

Packed pack(const Character& character, const PackOptions& options) {
    static_assert(std::endian::native == std::endian::little, "numbers are written least byte first");
    const CharacterData& data = character.data();
    PackWriter body, notes;
    body(data);
    if (!options.strip) {
        note_fields(data, [&](const auto&... parts) { notes(parts...); });
    }
    Packed result;
    std::vector<std::byte>& out = result.bytes;
    const auto append = [&](std::span<const std::byte> bytes) { out.insert(out.end(), bytes.begin(), bytes.end()); };
    PackHeader header{pack_magic, pack_byte_order, pack_version, 0, 0, data.fingerprint, options.made_from, 0, 0, 0};
    out.resize(sizeof header);
    append(body.bytes());
    header.notes_at = out.size();
    append(notes.bytes());
    header.rows_at = out.size();
    header.rows_count = body.rows().size();
    out.resize(out.size() + body.rows().size() * sizeof(PackedRows));
    small_rows::Scratch scratch;
    for (std::size_t c = 0; c < body.rows().size(); ++c) {
        const auto floats = body.rows()[c]->all();
        const auto raw = std::as_bytes(floats);
        const bool added = c >= data.clips.size();
        const SampledClip& clip = added ? data.additives[c - data.clips.size()] : data.clips[c];
        PackedRows packed{0, raw.size(), floats.size(), checksum_of(raw), RowCoding::as_played, 0};
        double worst = 0;
        if (options.clips == ClipPacking::small) {
            const SmallRows small = make_small({floats, clip.stride, data.rig, added}, options.tolerance);
            const auto played = small_rows::decode(small.bytes, floats.size(), scratch);
            packed = {out.size(),       small.bytes.size(),
                      floats.size(),    checksum_of(std::as_bytes(std::span(*played))),
                      RowCoding::small, 0};
            append(small.bytes);
            worst = small.worst_millimetres;
        } else {
            pad(out, cache_line);
            packed.at = out.size();
            append(raw);
        }
        put_at(out, std::size_t(header.rows_at) + c * sizeof packed, packed);
        result.clips.push_back({clip.name, raw.size(), std::size_t(packed.bytes), worst});
    }
    header.bytes = out.size();
    put_at(out, 0, header);
    header.checksum = checksum_of(std::span(out).subspan(offsetof(PackHeader, fingerprint)));
    put_at(out, 0, header);
    return result;
}

} // namespace gait
