// Bytes that are to be text.
#pragma once

#include <string>
#include <string_view>
#include <vector>

namespace ember {

// Whether these bytes are UTF-8 (RFC 3629).
bool isUtf8(std::string_view bytes);
// The same with U+FFFD for every byte that is none.
std::string asUtf8(std::string_view bytes);
// Two hexadecimal digits a byte, and back; empty where the text is no such thing.
std::string hexOf(std::string_view bytes);
std::string bytesOfHex(std::string_view hex);

// Lower case, digits and single hyphens, as ids are made of names: "Snare Top" is "snare-top".
// Empty where nothing of it can stay.
std::string hyphenated(std::string_view name);

// "kick, snare and hat".
std::string listed(const std::vector<std::string>& names);

}  // namespace ember
