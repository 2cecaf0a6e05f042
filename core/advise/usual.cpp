#include "core/advise/usual.h"

#include <algorithm>
#include <array>
#include <cctype>

namespace ember {
namespace {

enum class Kin { kick, snare, tom, metal, wide };

struct Custom {
    Kin kin;
    const char *type, *parameter;
    double low, high;
};

constexpr std::array<Custom, 27> kCustoms{{
    {Kin::kick, "eq", "b1.frequency", 25.0, 45.0},
    {Kin::snare, "eq", "b1.frequency", 70.0, 130.0},
    {Kin::tom, "eq", "b1.frequency", 35.0, 80.0},
    {Kin::metal, "eq", "b1.frequency", 200.0, 500.0},
    {Kin::wide, "eq", "b1.frequency", 40.0, 300.0},
    {Kin::kick, "gate", "release", 80.0, 250.0},
    {Kin::snare, "gate", "release", 80.0, 250.0},
    {Kin::tom, "gate", "release", 200.0, 800.0},
    {Kin::kick, "gate", "floor", -30.0, -10.0},
    {Kin::snare, "gate", "floor", -24.0, -8.0},
    {Kin::tom, "gate", "floor", -40.0, -12.0},
    {Kin::kick, "compressor", "ratio", 3.0, 6.0},
    {Kin::snare, "compressor", "ratio", 3.0, 6.0},
    {Kin::tom, "compressor", "ratio", 2.0, 5.0},
    {Kin::metal, "compressor", "ratio", 1.5, 3.0},
    {Kin::wide, "compressor", "ratio", 1.5, 4.0},
    {Kin::kick, "compressor", "attack", 10.0, 40.0},
    {Kin::snare, "compressor", "attack", 5.0, 30.0},
    {Kin::tom, "compressor", "attack", 10.0, 50.0},
    {Kin::wide, "compressor", "attack", 10.0, 50.0},
    {Kin::kick, "compressor", "release", 60.0, 250.0},
    {Kin::snare, "compressor", "release", 60.0, 250.0},
    {Kin::tom, "compressor", "release", 100.0, 400.0},
    {Kin::wide, "compressor", "release", 80.0, 400.0},
    {Kin::kick, "saturation", "drive", 3.0, 12.0},
    {Kin::snare, "saturation", "drive", 3.0, 12.0},
    {Kin::wide, "saturation", "drive", 2.0, 9.0},
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

std::vector<UsualRange> usualRanges(Role role, std::string_view type) {
    std::vector<UsualRange> out;
    Kin kin{};
    if (!kinOf(role, kin)) return out;
    for (const Custom& c : kCustoms) {
        if (c.kin == kin && type == c.type) out.push_back({c.parameter, c.low, c.high});
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
    const std::vector<UsualRange> ranges = usualRanges(row->role, type);
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
                      formatValue(p, range->low) + " to " + formatValue(p, range->high));
    }
    return out;
}

}  // namespace ember
