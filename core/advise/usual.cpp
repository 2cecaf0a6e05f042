#include "core/advise/usual.h"

#include <algorithm>
#include <array>
#include <cctype>

namespace ember {
namespace {

enum class Kin { kick, snare, tom, metal, wide };

struct Custom {
    Kin kin;
    Style style;  // any: where a style has none of its own
    const char *type, *parameter;
    double low, high;
};

constexpr std::array<Custom, 74> kCustoms{{
    {Kin::kick, Style::any, "eq", "b1.frequency", 25.0, 45.0},
    {Kin::snare, Style::any, "eq", "b1.frequency", 70.0, 130.0},
    {Kin::tom, Style::any, "eq", "b1.frequency", 35.0, 80.0},
    {Kin::metal, Style::any, "eq", "b1.frequency", 200.0, 500.0},
    {Kin::wide, Style::any, "eq", "b1.frequency", 40.0, 300.0},
    {Kin::kick, Style::any, "gate", "release", 80.0, 250.0},
    {Kin::snare, Style::any, "gate", "release", 80.0, 250.0},
    {Kin::tom, Style::any, "gate", "release", 200.0, 800.0},
    {Kin::kick, Style::any, "gate", "floor", -30.0, -10.0},
    {Kin::snare, Style::any, "gate", "floor", -24.0, -8.0},
    {Kin::tom, Style::any, "gate", "floor", -40.0, -12.0},
    {Kin::kick, Style::any, "compressor", "ratio", 3.0, 6.0},
    {Kin::snare, Style::any, "compressor", "ratio", 3.0, 6.0},
    {Kin::tom, Style::any, "compressor", "ratio", 2.0, 5.0},
    {Kin::metal, Style::any, "compressor", "ratio", 1.5, 3.0},
    {Kin::wide, Style::any, "compressor", "ratio", 1.5, 4.0},
    {Kin::kick, Style::any, "compressor", "attack", 10.0, 40.0},
    {Kin::snare, Style::any, "compressor", "attack", 5.0, 30.0},
    {Kin::tom, Style::any, "compressor", "attack", 10.0, 50.0},
    {Kin::wide, Style::any, "compressor", "attack", 10.0, 50.0},
    {Kin::kick, Style::any, "compressor", "release", 60.0, 250.0},
    {Kin::snare, Style::any, "compressor", "release", 60.0, 250.0},
    {Kin::tom, Style::any, "compressor", "release", 100.0, 400.0},
    {Kin::wide, Style::any, "compressor", "release", 80.0, 400.0},
    {Kin::kick, Style::any, "saturation", "drive", 3.0, 12.0},
    {Kin::snare, Style::any, "saturation", "drive", 3.0, 12.0},
    {Kin::wide, Style::any, "saturation", "drive", 2.0, 9.0},
    {Kin::kick, Style::heavy, "eq", "b1.frequency", 35.0, 60.0},
    {Kin::kick, Style::jazz, "eq", "b1.frequency", 20.0, 35.0},
    {Kin::kick, Style::electronic, "eq", "b1.frequency", 20.0, 35.0},
    {Kin::snare, Style::heavy, "eq", "b1.frequency", 90.0, 150.0},
    {Kin::snare, Style::jazz, "eq", "b1.frequency", 50.0, 90.0},
    {Kin::wide, Style::heavy, "eq", "b1.frequency", 200.0, 500.0},
    {Kin::wide, Style::jazz, "eq", "b1.frequency", 25.0, 60.0},
    {Kin::kick, Style::heavy, "gate", "release", 60.0, 150.0},
    {Kin::snare, Style::heavy, "gate", "release", 60.0, 180.0},
    {Kin::tom, Style::heavy, "gate", "release", 120.0, 400.0},
    {Kin::tom, Style::jazz, "gate", "release", 400.0, 1500.0},
    {Kin::kick, Style::heavy, "gate", "floor", -60.0, -20.0},
    {Kin::kick, Style::jazz, "gate", "floor", -10.0, -3.0},
    {Kin::snare, Style::heavy, "gate", "floor", -40.0, -12.0},
    {Kin::snare, Style::jazz, "gate", "floor", -8.0, -3.0},
    {Kin::snare, Style::soul, "gate", "floor", -15.0, -5.0},
    {Kin::tom, Style::heavy, "gate", "floor", -60.0, -20.0},
    {Kin::tom, Style::jazz, "gate", "floor", -12.0, -4.0},
    {Kin::kick, Style::pop, "compressor", "ratio", 2.0, 4.0},
    {Kin::kick, Style::heavy, "compressor", "ratio", 4.0, 10.0},
    {Kin::kick, Style::jazz, "compressor", "ratio", 1.5, 3.0},
    {Kin::kick, Style::soul, "compressor", "ratio", 2.0, 4.0},
    {Kin::snare, Style::rock, "compressor", "ratio", 4.0, 8.0},
    {Kin::snare, Style::heavy, "compressor", "ratio", 4.0, 10.0},
    {Kin::snare, Style::jazz, "compressor", "ratio", 1.5, 3.0},
    {Kin::snare, Style::soul, "compressor", "ratio", 2.0, 4.0},
    {Kin::tom, Style::heavy, "compressor", "ratio", 4.0, 8.0},
    {Kin::tom, Style::jazz, "compressor", "ratio", 1.5, 2.5},
    {Kin::wide, Style::rock, "compressor", "ratio", 2.0, 6.0},
    {Kin::wide, Style::heavy, "compressor", "ratio", 2.0, 8.0},
    {Kin::wide, Style::jazz, "compressor", "ratio", 1.2, 2.0},
    {Kin::kick, Style::heavy, "compressor", "attack", 2.0, 15.0},
    {Kin::kick, Style::jazz, "compressor", "attack", 20.0, 60.0},
    {Kin::snare, Style::heavy, "compressor", "attack", 1.0, 15.0},
    {Kin::snare, Style::jazz, "compressor", "attack", 15.0, 50.0},
    {Kin::wide, Style::heavy, "compressor", "attack", 3.0, 30.0},
    {Kin::wide, Style::jazz, "compressor", "attack", 20.0, 80.0},
    {Kin::kick, Style::heavy, "compressor", "release", 30.0, 120.0},
    {Kin::kick, Style::jazz, "compressor", "release", 100.0, 400.0},
    {Kin::snare, Style::heavy, "compressor", "release", 30.0, 150.0},
    {Kin::snare, Style::jazz, "compressor", "release", 100.0, 400.0},
    {Kin::kick, Style::jazz, "saturation", "drive", 0.0, 4.0},
    {Kin::kick, Style::electronic, "saturation", "drive", 3.0, 15.0},
    {Kin::snare, Style::jazz, "saturation", "drive", 0.0, 4.0},
    {Kin::snare, Style::heavy, "saturation", "drive", 4.0, 14.0},
    {Kin::snare, Style::electronic, "saturation", "drive", 3.0, 15.0},
    {Kin::wide, Style::jazz, "saturation", "drive", 0.0, 3.0},
}};

// False for what is no drum.
bool kinOf(Role role, Kin& kin) {
    switch (role) {
        case Role::kickIn:
        case Role::kickOut:
        case Role::kick:
            kin = Kin::kick;
            return true;
        case Role::snareTop:
        case Role::snareBottom:
        case Role::snare:
            kin = Kin::snare;
            return true;
        case Role::rackTom:
        case Role::floorTom:
        case Role::tom:
            kin = Kin::tom;
            return true;
        case Role::hat:
        case Role::ride:
        case Role::crash:
            kin = Kin::metal;
            return true;
        case Role::overhead:
        case Role::room:
        case Role::kit:
            kin = Kin::wide;
            return true;
        default:
            return false;
    }
}

}  // namespace

std::vector<UsualRange> usualRanges(Role role, std::string_view type, Style style) {
    std::vector<UsualRange> out;
    Kin kin{};
    if (!kinOf(role, kin)) return out;
    for (const Custom& c : kCustoms) {
        if (c.kin != kin || type != c.type || (c.style != Style::any && c.style != style)) continue;
        const auto known = std::find_if(out.begin(), out.end(), [&](const UsualRange& r) {
            return r.parameter == c.parameter;
        });
        const UsualRange range{c.parameter, c.low, c.high, c.style};
        if (known == out.end()) {
            out.push_back(range);
        } else {
            *known = range;  // the style's own stands behind the general one
        }
    }
    return out;
}

std::vector<std::string> usualBeside(const Session& session, const Proposal& proposal) {
    std::vector<std::string> out;
    const Row* row = findRow(session, proposal.row);
    if (row == nullptr) return out;
    const Stage* stage = findStage(*row, proposal.stage);
    const std::string type = stage != nullptr ? stage->type : proposal.stageType;
    if (type.empty()) return out;
    const ParameterTable table = processorType(type).table;
    const std::vector<UsualRange> ranges = usualRanges(row->role, type, session.style);
    for (const ParameterMove& move : proposal.moves) {
        const auto range = std::find_if(ranges.begin(), ranges.end(), [&](const UsualRange& r) {
            return r.parameter == move.parameter;
        });
        if (range == ranges.end()) continue;
        const Parameter& p = table[static_cast<std::size_t>(parameterIndex(table, move.parameter))];
        // The first band of the equaliser is the high-pass here.
        std::string name = move.parameter == "b1.frequency" ? "high-pass" : p.label;
        name[0] = static_cast<char>(std::tolower(static_cast<unsigned char>(name[0])));
        out.push_back(name + " " + formatValue(p, move.value) + ", usually " +
                      formatValue(p, range->low) + " to " + formatValue(p, range->high) +
                      (range->style == Style::any
                           ? std::string{}
                           : " in " + std::string(styleLabel(range->style))));
    }
    return out;
}

}  // namespace ember
