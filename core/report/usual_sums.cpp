#include "core/report/usual_sums.h"

#include "core/base/number.h"
#include "core/session/graph.h"

#include <array>
#include <set>

namespace ember {
namespace {

constexpr std::size_t kStyles = 7, kKinds = 7;

// By style (any, pop, rock, heavy, soul, jazz, electronic), then by SumKind.
constexpr std::array<std::array<UsualSpan, kKinds>, kStyles> kRanges{{
    {{{0, 5}, {0, 7}, {2, 14}, {2, 10}, {2, 10}, {2, 9}, {2, 9}}},
    {{{0, 3}, {0, 4}, {2, 10}, {2, 8}, {2, 8}, {2, 7}, {2, 7}}},
    {{{0, 4}, {0, 6}, {2, 12}, {2, 9}, {2, 10}, {2, 8}, {2, 8}}},
    {{{0, 3}, {0, 4}, {1, 9}, {1, 7}, {1, 7}, {1, 6}, {1, 6}}},
    {{{0, 5}, {1, 9}, {2, 12}, {2, 9}, {2, 10}, {2, 9}, {2, 9}}},
    {{{3, 16}, {4, 18}, {4, 20}, {4, 16}, {4, 18}, {5, 16}, {5, 18}}},
    {{{0, 2}, {0, 4}, {1, 10}, {1, 8}, {1, 10}, {1, 7}, {1, 8}}},
}};
constexpr std::array<UsualSpan, kStyles> kHighs{{
    {-24, -6},
    {-20, -8},
    {-20, -8},
    {-18, -6},
    {-24, -10},
    {-14, 0},
    {-28, -10},
}};
constexpr std::array<UsualRoom, kStyles> kRooms{{
    {0.5, 0.4, 0.4},
    {0.5, 0.5, 0.5},
    {0.5, 0.4, 0.4},
    {0.6, 0.4, 0.3},
    {0.6, 0.5, 0.5},
    {0.7, 0.6, 0.4},
    {0.3, 0.4, 0.5},
}};

SumKind kindOf(Role role) {
    switch (role) {
        case Role::kickIn:
        case Role::kickOut:
        case Role::kick:
            return SumKind::kick;
        case Role::snareTop:
        case Role::snareBottom:
        case Role::snare:
            return SumKind::snare;
        case Role::rackTom:
        case Role::floorTom:
        case Role::tom:
            return SumKind::toms;
        case Role::hat:
        case Role::ride:
        case Role::crash:
        case Role::overhead:
            return SumKind::cymbals;
        case Role::room:
            return SumKind::rooms;
        default:
            return SumKind::drums;
    }
}

}  // namespace

SumKind sumKind(const Session& session, std::string_view bus) {
    std::set<SumKind> kinds;
    for (const Row& row : session.rows) {
        if (!leadsTo(session, row.id, bus)) continue;
        if (row.kind == RowKind::guest) return SumKind::everything;
        if (row.kind == RowKind::element) kinds.insert(kindOf(row.role));
    }
    return kinds.size() == 1 ? *kinds.begin() : SumKind::drums;
}

std::string_view sumKindLabel(SumKind kind) {
    constexpr std::array<std::string_view, kKinds> labels{
        "the kick", "the snare", "toms", "cymbals", "rooms", "the whole kit", "kit and guests"};
    return labels[static_cast<std::size_t>(kind)];
}

UsualSpan usualRange(SumKind kind, Style style) {
    return kRanges[static_cast<std::size_t>(style)][static_cast<std::size_t>(kind)];
}

UsualSpan usualHighs(Style style) {
    return kHighs[static_cast<std::size_t>(style)];
}

UsualRoom usualRoom(Style style) {
    return kRooms[static_cast<std::size_t>(style)];
}

std::string usualText(const UsualSpan& span, Style style, int digits) {
    return "usually " + numberText(span.low, digits) + " to " + numberText(span.high, digits) +
           (style == Style::any ? std::string{} : " in " + std::string(styleLabel(style)));
}

}  // namespace ember
