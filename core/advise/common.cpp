#include "core/advise/common.h"

#include "core/advise/foretell.h"
#include "core/base/number.h"

#include <algorithm>
#include <cmath>

namespace ember {

const DrumTone* toneIn(const KitMeasurement& m, const std::string& row, const std::string& drum) {
    for (const auto* list : {&m.tone, &m.twins}) {
        for (const DrumTone& t : *list) {
            if (t.drum == drum && t.mic == row) return &t;
        }
    }
    return nullptr;
}

std::vector<double> evidenceOf(const KitMeasurement& m, const std::string& drum, bool full) {
    constexpr std::size_t kMost = 48;
    std::vector<double> out;
    for (const Stroke& s : m.strokes.strokes) {
        if (s.drum == drum && !(full && s.kind == StrokeKind::ghost) && out.size() < kMost)
            out.push_back(s.time);
    }
    return out;
}

bool wouldOverwrite(const Stage& stage, const std::vector<ParameterMove>& moves) {
    if (stage.mark != Mark::decided) return false;
    const ParameterTable table = processorType(stage.type).table;
    const auto at = [&](const std::string& id) { return parameterIndex(table, id); };
    return std::any_of(moves.begin(), moves.end(), [&](const ParameterMove& move) {
        const int index = at(move.parameter);
        if (index < 0) return false;
        const auto dot = move.parameter.find('.');
        if (stage.type == "eq" && dot != std::string::npos) {
            const int on = at(move.parameter.substr(0, dot) + ".on");
            if (on >= 0 && stage.values[static_cast<std::size_t>(on)] < 0.5 &&
                stage.values[static_cast<std::size_t>(index)] ==
                    table[static_cast<std::size_t>(index)].standard)
                return false;
        }
        return std::abs(stage.values[static_cast<std::size_t>(index)] - move.value) > 1e-9;
    });
}

std::vector<double> withMoves(std::string_view type, std::vector<double> values,
                              const std::vector<ParameterMove>& moves) {
    const ParameterTable table = processorType(type).table;
    for (const ParameterMove& move : moves)
        values[static_cast<std::size_t>(parameterIndex(table, move.parameter))] = move.value;
    return values;
}

std::vector<double> withMoves(std::string_view type, const std::vector<ParameterMove>& moves) {
    return withMoves(type, standardValues(processorType(type).table), moves);
}

std::optional<Effect> punchEffect(const DrumTone& tone, std::string_view type,
                                  const std::vector<ParameterMove>& moves) {
    const double change = changeThrough(tone, type, withMoves(type, moves)).transientToBodyDb;
    if (std::abs(change) < 0.1) return std::nullopt;
    return Effect{EffectKind::punch,      "attack against body",           "dB",
                  tone.transientToBodyDb, tone.transientToBodyDb + change, {}};
}

}  // namespace ember
