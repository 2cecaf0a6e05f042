#include "core/report/shortest_chain.h"

#include "core/base/number.h"
#include "core/base/units.h"
#include "core/engine/render.h"
#include "core/measure/level/loudness.h"
#include "core/report/mix_figures.h"
#include "core/session/graph.h"

#include <algorithm>

namespace ember {
namespace {

// A row with all that is heard in it.
AudioBuffer hearRow(const Session& session, AudioStore& store, const std::string& row,
                    const RenderOptions& stretch) {
    RenderOptions options = stretch;
    const auto heard = heardIn(session, row);
    options.onlyRows = {heard.begin(), heard.end()};
    for (RowAudio& each : renderRows(session, store, options)) {
        if (each.row == row) return std::move(each.audio);
    }
    return {};
}

double loudnessOf(const AudioBuffer& audio) {
    if (audio.channels.size() != 2) return kSilenceDb;
    LoudnessMeter meter(2, audio.sampleRate, LoudnessDetail::integrated);
    std::vector<float> woven;
    for (std::size_t i = 0; i < audio.frames(); ++i) {
        woven.push_back(audio.channels[0][i]);
        woven.push_back(audio.channels[1][i]);
    }
    meter.add(woven);
    return meter.result().integrated;
}

}  // namespace

std::vector<StepWorth> stepWorths(const Session& session, AudioStore& store, double from, double to,
                                  const Progress& progress) {
    RenderOptions stretch;
    stretch.from = from;
    stretch.to = to < 0.0 ? from + kLongestCompared : std::min(to, from + kLongestCompared);
    std::vector<StepWorth> worths;
    for (const Row& row : session.rows) {
        if (row.kind == RowKind::reference) continue;
        for (const Stage& stage : row.chain) {
            if (stage.on && !belongsToRow(stage)) worths.push_back({row.id, stage.id});
        }
    }
    const double mix = loudnessOf(hearRow(session, store, mainRow(session), stretch));
    AudioBuffer with;
    double loud = kSilenceDb;
    std::string heard;
    for (std::size_t i = 0; i < worths.size(); ++i) {
        StepWorth& worth = worths[i];
        report(progress, static_cast<double>(i) / static_cast<double>(worths.size()),
               findRow(session, worth.row)->name);
        if (heard != worth.row) {
            with = hearRow(session, store, worth.row, stretch);
            loud = loudnessOf(with);
            heard = worth.row;
        }
        worth.rowDb = worth.mixDb = kSilenceDb;
        if (loud <= kSilenceDb) continue;  // silent with it
        Session less = session;
        requireStage(requireRow(less, worth.row), worth.stage).on = false;
        const AudioBuffer without = hearRow(less, store, worth.row, stretch);
        const double then = loudnessOf(without);
        worth.rowDb = then <= kSilenceDb ? 0.0 : differenceDb(with, without, loud - then);
        worth.mixDb = std::max(kSilenceDb, worth.rowDb + std::min(0.0, loud - mix));
    }
    return worths;
}

std::string worthText(const Session& session, const StepWorth& worth) {
    const Row* row = findRow(session, worth.row);
    const Stage* stage = row != nullptr ? findStage(*row, worth.stage) : nullptr;
    if (stage == nullptr) return {};
    return row->name + ", " + processorType(stage->type).label +
           (worth.couldGo() ? " could go" : " stays") + ": without it the mix differs by " +
           numberText(worth.mixDb, 0) + " dB.";
}

}  // namespace ember
