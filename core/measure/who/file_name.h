// What engineers write into the names of drum files, read word by word.
#pragma once

#include "core/session/session.h"

#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace ember {

struct NameReading {
    Role role = Role::unknown;
    RowKind kind = RowKind::element;
    double sure = 0.0;     // 0..1: full words say more than letters
    int side = -1;         // 0 left, 1 right, -1 neither
    std::string readable;  // a name for people: "Overhead", "Tom 2"; empty where nothing was read
    bool operator==(const NameReading&) const = default;
};

// Joined and capital words are split, accents folded, takes and channel numbers passed over; the
// most specific reading wins ("overhead, hat side" is an overhead). The words stand in
// name_words.inc. Pure.
NameReading readFileName(std::string_view stem);

// Whether two names are the two sides of one: 0, the first is the left one; 1, it is the right one.
// Empty: they are no pair. Pure.
std::optional<int> pairOf(std::string_view first, std::string_view second);

}  // namespace ember
