#include "core/report/shortest_chain.h"

#include "core/base/number.h"
#include "core/base/units.h"
#include "core/engine/render.h"
#include "core/measure/level/loudness.h"
#include "core/report/mix_figures.h"
#include "core/session/graph.h"

#include <algorithm>
#include <cmath>
#include <iterator>

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

// Sum of squares of both sides, or of what is left of them less others at a gain.
double squaresOf(const AudioBuffer& audio, const AudioBuffer* less = nullptr, double gain = 0.0) {
    double sum = 0.0;
    for (std::size_t c = 0; c < audio.channels.size(); ++c) {
        for (std::size_t i = 0; i < audio.frames(); ++i) {
            double x = static_cast<double>(audio.channels[c][i]);
            if (less != nullptr) x -= gain * static_cast<double>(less->channels[c][i]);
            sum += x * x;
        }
    }
    return sum;
}

double squaresDb(double one, double other) {
    return other > 0.0 ? std::max(kSilenceDb, 10.0 * std::log10((one + 1e-30) / other))
                       : kSilenceDb;
}

// The gain that makes one as loud as the other; 1 where one of them is too soft to be told.
double gainBetween(double loud, double then) {
    return loud <= kSilenceDb || then <= kSilenceDb ? 1.0 : gainFromDb(loud - then);
}

RenderOptions renderedOver(double from, double to) {
    RenderOptions stretch;
    stretch.from = from;
    stretch.to = to < 0.0 ? from + kLongestCompared : std::min(to, from + kLongestCompared);
    return stretch;
}

// Whether everything that is heard goes through a row.
bool carriesAll(const Session& session, const std::string& row) {
    return std::all_of(session.rows.begin(), session.rows.end(), [&](const Row& other) {
        return !hasSources(other.kind) || other.kind == RowKind::reference || other.mute ||
               leadsTo(session, other.id, row);
    });
}

std::string stepName(const Session& session, const StepWorth& worth) {
    const Row* row = findRow(session, worth.row);
    const Stage* stage = row != nullptr ? findStage(*row, worth.stage) : nullptr;
    return stage == nullptr ? std::string() : row->name + ", " + processorType(stage->type).label;
}

std::string differsText(double db) {
    return db <= kSilenceDb ? "the mix is the same"
                            : "the mix differs by " + numberText(db, 0) + " dB";
}

}  // namespace

std::vector<StepWorth> stepWorths(const Session& session, AudioStore& store, double from, double to,
                                  const Progress& progress) {
    const RenderOptions stretch = renderedOver(from, to);
    std::vector<StepWorth> worths;
    for (const Row& row : session.rows) {
        if (row.kind == RowKind::reference) continue;
        for (const Stage& stage : row.chain) {
            if (stage.on && !belongsToRow(stage)) worths.push_back({row.id, stage.id});
        }
    }
    const double mix = squaresOf(hearRow(session, store, mainRow(session), stretch));
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
        const Session less = withStepsOff(session, {{worth.row, worth.stage}});
        const AudioBuffer without = hearRow(less, store, worth.row, stretch);
        // A level is no difference where it is all that is heard; beside other rows it is one.
        const double gain =
            carriesAll(session, worth.row) ? gainBetween(loud, loudnessOf(without)) : 1.0;
        const double differs = squaresOf(with, &without, gain);
        worth.rowDb = squaresDb(differs, std::max(squaresOf(with), squaresOf(without)));
        worth.mixDb = std::min(worth.rowDb, squaresDb(differs, mix));
    }
    return worths;
}

ShortestChain shortestChain(const Session& session, AudioStore& store,
                            const std::vector<StepWorth>& worths, double from, double to,
                            const Progress& progress) {
    std::vector<StepWorth> could;
    std::copy_if(worths.begin(), worths.end(), std::back_inserter(could),
                 [](const StepWorth& worth) { return worth.couldGo(); });
    std::stable_sort(could.begin(), could.end(),
                     [](const StepWorth& a, const StepWorth& b) { return a.mixDb < b.mixDb; });
    ShortestChain out;
    if (could.empty()) return out;
    const RenderOptions stretch = renderedOver(from, to);
    const std::string main = mainRow(session);
    const AudioBuffer with = hearRow(session, store, main, stretch);
    const double loud = loudnessOf(with);
    Session shorter = session;
    for (std::size_t i = 0; i < could.size(); ++i) {
        report(progress, static_cast<double>(i) / static_cast<double>(could.size()),
               "All that could go, together");
        Session less = withStepsOff(shorter, {{could[i].row, could[i].stage}});
        const AudioBuffer without = hearRow(less, store, main, stretch);
        const double differs = squaresDb(
            squaresOf(with, &without, gainBetween(loud, loudnessOf(without))), squaresOf(with));
        if (differs >= kUnheardDb) continue;
        out.go.push_back(could[i]);
        out.mixDb = differs;
        shorter = std::move(less);
    }
    return out;
}

std::vector<StepAt> ShortestChain::steps() const {
    std::vector<StepAt> out;
    for (const StepWorth& worth : go) out.push_back({worth.row, worth.stage});
    return out;
}

Session withStepsOff(Session session, const std::vector<StepAt>& steps) {
    for (const StepAt& step : steps)
        requireStage(requireRow(session, step.row), step.stage).on = false;
    return session;
}

std::string worthText(const Session& session, const StepWorth& worth) {
    const std::string name = stepName(session, worth);
    if (name.empty()) return {};
    return name + (worth.couldGo() ? " could go" : " stays") + ": without it " +
           differsText(worth.mixDb) + ".";
}

std::string shortestText(const Session& session, const ShortestChain& shortest) {
    if (shortest.go.empty())
        return "No step could go: without any of them the mix differs by more than " +
               numberText(kUnheardDb, 0) + " dB.";
    std::string names;
    for (const StepWorth& worth : shortest.go)
        names += (names.empty() ? "" : "; ") + stepName(session, worth);
    return (shortest.go.size() == 1
                ? "One step could go"
                : std::to_string(shortest.go.size()) + " steps could go together") +
           ": " + differsText(shortest.mixDb) + " without " + names + ".";
}

}  // namespace ember
