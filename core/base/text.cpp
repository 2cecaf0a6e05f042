#include "core/base/text.h"

#include <cctype>
#include <cstddef>
#include <cstdint>

namespace ember {
namespace {

// Length of the UTF-8 sequence at the front; 0: there is none.
std::size_t sequence(std::string_view s) {
    const auto at = [&](std::size_t i) {
        return i < s.size() ? static_cast<std::uint8_t>(s[i]) : std::uint8_t{0};
    };
    const auto follows = [&](std::size_t i) { return (at(i) & 0xC0U) == 0x80U; };
    const std::uint8_t a = at(0), b = at(1);
    if (a < 0x80) return 1;
    if (a >= 0xC2 && a <= 0xDF) return follows(1) ? 2 : 0;
    if (a >= 0xE0 && a <= 0xEF) {
        const bool odd = (a == 0xE0 && b < 0xA0) || (a == 0xED && b > 0x9F);
        return follows(1) && follows(2) && !odd ? 3 : 0;
    }
    if (a >= 0xF0 && a <= 0xF4) {
        const bool odd = (a == 0xF0 && b < 0x90) || (a == 0xF4 && b > 0x8F);
        return follows(1) && follows(2) && follows(3) && !odd ? 4 : 0;
    }
    return 0;
}

}  // namespace

bool isUtf8(std::string_view bytes) {
    while (!bytes.empty()) {
        const std::size_t n = sequence(bytes);
        if (n == 0) return false;
        bytes.remove_prefix(n);
    }
    return true;
}

std::string asUtf8(std::string_view bytes) {
    std::string out;
    while (!bytes.empty()) {
        const std::size_t n = sequence(bytes);
        out += n == 0 ? std::string_view("\uFFFD") : bytes.substr(0, n);
        bytes.remove_prefix(n == 0 ? 1 : n);
    }
    return out;
}

std::string hexOf(std::string_view bytes) {
    constexpr char digits[] = "0123456789abcdef";
    std::string out;
    for (const char c : bytes) {
        const auto b = static_cast<std::uint8_t>(c);
        out += digits[b >> 4U];
        out += digits[b & 15U];
    }
    return out;
}

std::string bytesOfHex(std::string_view hex) {
    const auto digit = [](char c) {
        if (c >= '0' && c <= '9') return c - '0';
        return c >= 'a' && c <= 'f' ? c - 'a' + 10 : -1;
    };
    std::string out;
    if (hex.size() % 2 != 0) return {};
    for (std::size_t i = 0; i < hex.size(); i += 2) {
        const int high = digit(hex[i]), low = digit(hex[i + 1]);
        if (high < 0 || low < 0) return {};
        out += static_cast<char>(16 * high + low);
    }
    return out;
}

std::string hyphenated(std::string_view name) {
    std::string out;
    for (const char c : name) {
        const auto u = static_cast<unsigned char>(c);
        if (u < 128 && std::isalnum(u) != 0) {
            out += static_cast<char>(std::tolower(u));
        } else if (!out.empty() && out.back() != '-') {
            out += '-';
        }
    }
    while (!out.empty() && out.back() == '-') out.pop_back();
    return out;
}

std::string listed(const std::vector<std::string>& names) {
    std::string out;
    for (std::size_t i = 0; i < names.size(); ++i)
        out += (i == 0 ? "" : i + 1 == names.size() ? " and " : ", ") + names[i];
    return out;
}

}  // namespace ember
