#include "core/audio/riff.h"

#include <array>
#include <cstdint>
#include <fstream>
#include <string_view>

namespace ember {
namespace {

struct Chunk {
    std::array<char, 4> id{};
    std::uint64_t size = 0;
    [[nodiscard]] bool is(std::string_view name) const {
        return std::string_view(id.data(), id.size()) == name;
    }
};

// At the file's place; false at its end. `big` counts the high byte first (RIFX).
bool read(std::ifstream& in, bool big, Chunk& chunk) {
    std::array<unsigned char, 4> size{};
    in.read(chunk.id.data(), 4);
    in.read(reinterpret_cast<char*>(size.data()), 4);
    chunk.size = 0;
    for (std::size_t i = 0; i < 4; ++i) chunk.size = (chunk.size << 8U) | size[big ? i : 3 - i];
    return static_cast<bool>(in);
}

// The list's own chunks, from behind its name on, up to `end`.
bool broken(std::ifstream& in, bool big, std::uint64_t at, std::uint64_t end) {
    Chunk part;
    while (at + 8 <= end) {
        in.seekg(static_cast<std::streamoff>(at));
        if (!read(in, big, part)) return true;
        at += 8 + part.size + (part.size & 1U);
        // The last one's filling byte may be missing.
        if (at > end + 1) return true;
    }
    return false;
}

}  // namespace

bool hasBrokenList(const std::filesystem::path& file) {
    std::ifstream in(file, std::ios::binary);
    Chunk chunk;
    if (!read(in, false, chunk)) return false;
    const bool big = chunk.is("RIFX");
    if (!big && !chunk.is("RIFF") && !chunk.is("RF64")) return false;
    std::uint64_t at = 12;
    for (;;) {
        in.clear();
        in.seekg(static_cast<std::streamoff>(at));
        if (!read(in, big, chunk)) return false;
        const std::uint64_t end = at + 8 + chunk.size;
        if (chunk.is("LIST") && chunk.size >= 4 && broken(in, big, at + 12, end)) return true;
        at = end + (chunk.size & 1U);
    }
}

}  // namespace ember
