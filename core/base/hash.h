// Content hashes (XXH3, 128 bit, as 32 hex digits). They name cached data and
// notice changed files; they are no protection against an adversary.
#pragma once

#include <cstddef>
#include <filesystem>
#include <string>
#include <string_view>

namespace ember {

std::string hashBytes(std::string_view bytes);

// Hash of a file's bytes, read in pieces. Throws Error when it cannot be read.
std::string hashFile(const std::filesystem::path& path);

}  // namespace ember
