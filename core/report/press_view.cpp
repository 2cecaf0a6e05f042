#include "core/report/press_view.h"

#include "core/audio/store.h"
#include "core/engine/trace.h"
#include "core/report/stroke_view.h"

#include <algorithm>
#include <cmath>

namespace ember {
namespace {

constexpr double kSlower = 4.0, kWarmUp = 1.0;

}  // namespace

PressView viewPress(const Session& session, AudioStore& store, const std::string& rowId,
                    const std::string& stageId, double from, double to) {
    PressView view;
    view.secondsPerBlock = static_cast<double>(kBlock) / session.sampleRate;
    const double begin = std::max(0.0, from - kWarmUp);
    Session cut = startingAt(session, begin);
    Row& row = requireRow(cut, rowId);
    Stage& stage = requireStage(row, stageId);
    const auto index = static_cast<std::size_t>(&stage - row.chain.data());
    stage.on = true;
    const ParameterTable table = processorType(stage.type).table;
    const auto first = static_cast<std::size_t>(std::lround((from - begin) / view.secondsPerBlock)),
               count = static_cast<std::size_t>(
                   std::max(0.0, std::ceil((to - from) / view.secondsPerBlock)));
    view.from = begin + static_cast<double>(first) * view.secondsPerBlock;
    const std::vector<double> set = stage.values;
    const auto with = [&](double factor) {
        for (const char* id : {"attack", "release"}) {
            const auto i = static_cast<std::size_t>(parameterIndex(table, id));
            stage.values[i] = std::clamp(set[i] * factor, table[i].minimum, table[i].maximum);
        }
        const std::map<std::string, RowTrace> traced = trace(cut, store, {rowId}, {}, to - begin);
        const std::vector<float>& gain = traced.at(rowId).stages.at(index).gainDb;
        const std::size_t last = std::min(gain.size(), first + count);
        return first < last ? std::vector<float>(gain.begin() + static_cast<std::ptrdiff_t>(first),
                                                 gain.begin() + static_cast<std::ptrdiff_t>(last))
                            : std::vector<float>{};
    };
    view.fast = with(1.0 / kSlower);
    view.slow = with(kSlower);
    return view;
}

}  // namespace ember
