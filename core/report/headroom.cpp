#include "core/report/headroom.h"

#include "core/advise/bus.h"
#include "core/advise/bus_heard.h"
#include "core/base/error.h"
#include "core/base/number.h"
#include "core/base/units.h"
#include "core/dsp/seat.h"
#include "core/measure/kit/kit_mics.h"
#include "core/measure/strokes/played.h"
#include "core/report/bus_members.h"
#include "core/report/low_end.h"
#include "core/report/mix_figures.h"
#include "core/session/routing.h"

#include <algorithm>
#include <cmath>

namespace ember {
namespace {

const AudioBuffer* audioOf(const std::vector<RowAudio>& rows, const std::string& id) {
    for (const RowAudio& one : rows) {
        if (one.row == id) return &one.audio;
    }
    return nullptr;
}

AudioBuffer sumOf(const std::vector<RowAudio>& rows, const std::vector<std::string>& ids) {
    AudioBuffer out{rows.front().audio.sampleRate, {{}, {}}};
    for (const std::string& id : ids) {
        if (const AudioBuffer* one = audioOf(rows, id)) addTo(out, *one);
    }
    return out;
}

}  // namespace

HeadroomPlan headroomPlan(const Session& session, AudioStore& store, double from, double to,
                          const Progress& progress) {
    std::vector<std::string> kicks = lowKicks(session);
    std::erase_if(kicks, [&](const std::string& id) {
        return targetFor(session, *findRow(session, id)) == nullptr;
    });
    if (kicks.empty())
        throw Error("There is no kick to set the levels by; say on the Board which row is one.");
    const RenderOptions options = heardOver(from, to);
    const std::vector<RowAudio> rows = renderRows(session, store, options, progress);
    HeadroomPlan out;
    for (const std::string& id : kicks) {
        const AudioBuffer* audio = audioOf(rows, id);
        std::vector<double> strokes;
        for (const Stroke& s : playedStrokes(session, drumOfRow(session, id))) {
            if (s.time >= options.from && s.time < options.to) strokes.push_back(s.time);
        }
        if (audio == nullptr || strokes.empty()) continue;
        const LevelTarget& target = *targetFor(session, *findRow(session, id));
        const double reads = targetReading(session, target, id, *audio, from);
        if (!out.kick.empty() && reads <= out.kickDb) continue;
        out.kick = id;
        out.kickDb = reads;
        out.targetDb = target.db;
        out.kicksDb = strokePeakDb(sumOf(rows, kicks), from, strokes, kLoudestPart);
        std::vector<std::string> pair = lowBasses(session);
        if (pair.empty()) continue;
        pair.insert(pair.end(), kicks.begin(), kicks.end());
        out.pairDb = strokePeakDb(sumOf(rows, pair), from, strokes, kLoudestPart);
    }
    if (out.kick.empty() || out.kickDb <= kSilenceDb)
        throw Error(
            "No stroke of the kick is heard here; listen to the kit first, or choose a stretch in "
            "which it plays.");
    out.bus = drumBus(session);
    if (const AudioBuffer* drums = audioOf(rows, out.bus)) out.drumsDb = samplePeakDb(*drums);
    const auto mainPeak = [&](const std::vector<RowAudio>& of) {
        const AudioBuffer* main = audioOf(of, mainRow(session));
        return main != nullptr ? samplePeakDb(*main) : kSilenceDb;
    };
    out.mainDb = out.trimmedMainDb = mainPeak(rows);
    // In steps that a person reads.
    const double off = std::round((out.targetDb - out.kickDb) * 2.0) / 2.0;
    if (std::abs(off) < kTrimFromDb) return out;
    out.trimDb = off;
    out.trimmedMainDb = mainPeak(renderRows(withTrim(session, off), store, options, progress));
    return out;
}

std::vector<std::string> headroomText(const Session& session, const HeadroomPlan& plan) {
    std::vector<std::string> out;
    if (const Row* kick = findRow(session, plan.kick))
        out.push_back(kick->name + " alone reads " + numberText(plan.kickDb, 1) +
                      "; its target: " + targetText(*targetFor(session, *kick)) + ".");
    if (plan.pairDb > kSilenceDb)
        out.push_back("The bass brings the kick from " + numberText(plan.kicksDb, 1) + " to " +
                      numberText(plan.pairDb, 1) + "; about " + numberText(kPairOverDb, 0) +
                      " dB more is usual.");
    out.push_back("Everything peaks at " + numberText(plan.mainDb, 1) + " dBFS" +
                  (plan.mainDb > kMainRoomDb
                       ? ", which leaves less than the " + numberText(-kMainRoomDb, 0) +
                             " dB that later steps may want."
                       : std::string(".")));
    if (plan.trimDb != 0.0)
        out.push_back("Trimmed by " + changeText(plan.trimDb, 1) +
                      " dB, all rows alike, the kick reads its target and everything peaks at " +
                      numberText(plan.trimmedMainDb, 1) + " dBFS.");
    else
        out.push_back("Nothing needs to be trimmed.");
    return out;
}

Session withTrim(Session session, double db, const std::function<bool(const Row&)>& which) {
    std::vector<std::pair<std::string, double>> levels;
    for (Row& row : session.rows) {
        if (row.kind != RowKind::element && row.kind != RowKind::guest) continue;
        if (which && !which(row)) continue;
        const Stage* seat = findStage(row, "seat");
        if (seat == nullptr ||
            seat->values[Seat::level] <= processorType("seat").table[Seat::level].minimum)
            continue;  // silent
        levels.emplace_back(row.id, seat->values[Seat::level] + db);
        for (Send& send : row.sends) {
            if (send.before && send.levelDb > kSendLowest)
                send.levelDb = std::clamp(send.levelDb + db, kSendLowest, kSendHighest);
        }
    }
    for (const auto& [row, level] : levels)
        session = withValue(std::move(session), row, "seat", "level", level);
    return session;
}

}  // namespace ember
