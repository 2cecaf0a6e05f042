#include "core/session/stroke.h"

#include "core/base/error.h"

#include <algorithm>
#include <array>
#include <utility>

namespace ember {
namespace {

constexpr std::array<std::pair<StrokeKind, std::string_view>, 4> kStrokeKinds{{
    {StrokeKind::accent, "accent"},
    {StrokeKind::normal, "normal"},
    {StrokeKind::ghost, "ghost"},
    {StrokeKind::flam, "flam"},
}};

}  // namespace

void sortByTime(std::vector<Stroke>& strokes) {
    std::stable_sort(strokes.begin(), strokes.end(), earlier);
}

std::string_view toString(StrokeKind kind) {
    for (const auto& [value, name] : kStrokeKinds) {
        if (value == kind) return name;
    }
    return "normal";
}

StrokeKind strokeKindFrom(std::string_view text) {
    for (const auto& [value, name] : kStrokeKinds) {
        if (name == text) return value;
    }
    throw Error("“" + std::string(text) +
                "” is no kind of stroke; accent, normal, ghost and flam are.");
}

}  // namespace ember
