#include "core/base/hash.h"

#include "core/base/error.h"

#include <xxhash.h>

#include <array>
#include <fstream>
#include <memory>
#include <vector>

namespace ember {
namespace {

std::string hex(XXH128_hash_t hash) {
    XXH128_canonical_t canonical;
    XXH128_canonicalFromHash(&canonical, hash);
    constexpr std::string_view digits = "0123456789abcdef";
    std::string text;
    for (const unsigned char byte : canonical.digest) {
        text += digits[byte >> 4U];
        text += digits[byte & 15U];
    }
    return text;
}

}  // namespace

std::string hashBytes(std::string_view bytes) {
    return hex(XXH3_128bits(bytes.data(), bytes.size()));
}

std::string hashFile(const std::filesystem::path& path) {
    std::ifstream file(path, std::ios::binary);
    if (!file)
        throw Error("“" + path.string() +
                    "” cannot be read: check that it exists and that you may read it.");
    const std::unique_ptr<XXH3_state_t, decltype(&XXH3_freeState)> state(XXH3_createState(),
                                                                         &XXH3_freeState);
    XXH3_128bits_reset(state.get());
    std::vector<char> piece(1U << 20U);
    while (file) {
        file.read(piece.data(), static_cast<std::streamsize>(piece.size()));
        XXH3_128bits_update(state.get(), piece.data(), static_cast<std::size_t>(file.gcount()));
    }
    return hex(XXH3_128bits_digest(state.get()));
}

}  // namespace ember
