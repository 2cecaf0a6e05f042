#include "core/base/error.h"
#include "core/engine/render.h"
#include "core/measure/kit/kit_mics.h"
#include "core/measure/song/song_strokes.h"
#include "core/report/mix_figures.h"
#include "core/report/reference.h"
#include "core/session/kit.h"

#include <algorithm>
#include <cmath>

namespace ember {
namespace {

constexpr double kLeastDrumDb = 1.5, kMostDrumDb = 6.0, kLeastToneDb = 1.0, kMostBandDb = 4.0;

// Whether anything but the kit is heard.
bool hasGuests(const Session& session) {
    return std::any_of(session.rows.begin(), session.rows.end(), [](const Row& row) {
        return row.kind == RowKind::guest && !row.mute && !row.sources.empty();
    });
}

SongFigures hearMix(const Session& session, AudioStore& store, double from, double to,
                    const Progress& progress) {
    const AudioBuffer audio = renderMix(session, store, heardOver(from, to), nullptr, progress);
    const SongSides sides(audio.channels.begin(), audio.channels.end());
    if (sides.empty() || sides[0].empty()) throw Error("There is nothing to hear in this stretch.");
    // Heard as the record is, so that both are told by the same ear.
    return songFigures(sides, audio.sampleRate, findSongStrokes(sides, audio.sampleRate), {});
}

// By how much a drum of the record stands higher against its kick than the mix's does; nothing
// where either cannot be read, and for the kick itself.
std::optional<double> higherDb(const SongFigures& record, const SongFigures& mix,
                               const std::string& drum) {
    const auto theirs = overKick(record, drum), ours = overKick(mix, drum);
    if (!theirs || !ours || drum == "kick") return std::nullopt;
    return *theirs - *ours;
}

// How far the mix lies outside of what the record does, over all thirds, dB.
double outsideDb(const SongFigures& record, const SongFigures& mix) {
    double sum = 0.0;
    for (const OutsideBand& band : outsideBands(record, mix)) sum += band.db * band.db;
    return std::sqrt(sum / static_cast<double>(std::max<std::size_t>(1, record.low.level.size())));
}

// `whole`: of the record, for how its drums stand; `record`: what the mix is held against else.
std::vector<ReferenceMove> movesFor(const Session& session, const SongFigures& whole,
                                    const SongFigures& record, const SongFigures& mix,
                                    bool drumsAlone) {
    std::vector<ReferenceMove> out;
    for (const DrumStands& d : mix.drums) {
        const auto higher = higherDb(whole, mix, d.drum);
        if (!higher || std::abs(*higher) < kLeastDrumDb) continue;
        ReferenceMove move;
        move.kind = ReferenceMove::Kind::drum;
        for (const Drum& drum : session.drums) {
            if (move.drum.empty() && drumKindIn(session, drum.id) == d.drum) move.drum = drum.id;
        }
        const bool stands =
            std::any_of(session.rows.begin(), session.rows.end(), [&](const Row& row) {
                return row.kind == RowKind::element && !move.drum.empty() && row.drum == move.drum;
            });
        if (!stands) continue;
        move.db = std::clamp(*higher, -kMostDrumDb, kMostDrumDb);
        move.beforeDb = *higher;
        out.push_back(std::move(move));
    }
    Spectrum wanted = mix.levels.spectrum;
    const double louder = record.levels.integrated - mix.levels.integrated;
    for (std::size_t b = 0; b < wanted.level.size() && b < record.low.level.size(); ++b)
        wanted.level[b] =
            std::clamp(wanted.level[b] + louder, record.low.level[b], record.high.level[b]) -
            louder;
    ReferenceMove tone;
    tone.kind = ReferenceMove::Kind::tone;
    tone.row = mainRow(session);
    if (drumsAlone) {
        for (const Row& row : session.rows) {
            if (isDrumBus(row)) tone.row = row.id;
        }
    }
    tone.bands = matchBands(mix.levels.spectrum, wanted, 4);
    for (BandFit& band : tone.bands)
        band.gainDb = std::clamp(band.gainDb, -kMostBandDb, kMostBandDb);
    tone.beforeDb = outsideDb(record, mix);
    if (!tone.bands.empty() && tone.beforeDb >= kLeastToneDb) out.push_back(std::move(tone));
    return out;
}

}  // namespace

std::optional<double> overKick(const SongFigures& figures, std::string_view drum) {
    std::optional<double> kick, own;
    for (const DrumStands& d : figures.drums) {
        if (d.drum == "kick") kick = d.db;
        if (d.drum == drum) own = d.db;
    }
    if (!kick || !own) return std::nullopt;
    return *own - *kick;
}

const SongFigures& heldAgainst(const ReferenceReading& reference, const ReferenceCheck& check) {
    return check.drumsAlone && reference.alone ? *reference.alone : reference.whole;
}

std::vector<OutsideBand> outsideBands(const SongFigures& record, const SongFigures& mix) {
    std::vector<OutsideBand> out;
    const double louder = record.levels.integrated - mix.levels.integrated;
    for (std::size_t b = 0; b < mix.levels.spectrum.level.size(); ++b) {
        const double hertz = mix.levels.spectrum.frequency[b],
                     db = mix.levels.spectrum.level[b] + louder;
        if (hertz < 40.0 || hertz > 16000.0 || b >= record.low.level.size()) continue;
        const double off = db > record.high.level[b]  ? db - record.high.level[b]
                           : db < record.low.level[b] ? db - record.low.level[b]
                                                      : 0.0;
        if (off != 0.0) out.push_back({hertz, off});
    }
    std::stable_sort(out.begin(), out.end(), [](const OutsideBand& a, const OutsideBand& b) {
        return std::abs(a.db) > std::abs(b.db);
    });
    return out;
}

ReferenceCheck checkReference(const Session& session, AudioStore& store,
                              const ReferenceReading& reference, double from, double to,
                              const Progress& progress) {
    if (to < 0.0 || to > from + kLongestCompared) to = from + kLongestCompared;
    ReferenceCheck out;
    const bool guests = hasGuests(session);
    out.drumsAlone = !guests && reference.alone.has_value();
    out.unlike = !guests && !reference.alone.has_value();
    out.mix = hearMix(session, store, from, to, within(progress, 0.0, 0.4));
    const SongFigures& record = heldAgainst(reference, out);
    out.louderDb = record.levels.integrated - out.mix.levels.integrated;
    out.moves = movesFor(session, reference.whole, record, out.mix, out.drumsAlone);
    for (std::size_t i = 0; i < out.moves.size(); ++i) {
        ReferenceMove& move = out.moves[i];
        const double part = 0.6 / static_cast<double>(out.moves.size());
        const SongFigures then = hearMix(withReferenceMove(session, move), store, from, to,
                                         within(progress, 0.4 + part * static_cast<double>(i),
                                                0.4 + part * static_cast<double>(i + 1)));
        move.afterDb =
            move.kind == ReferenceMove::Kind::tone
                ? outsideDb(record, then)
                : higherDb(reference.whole, then, drumKindIn(session, move.drum)).value_or(0.0);
    }
    // What was tried and brought the mix no nearer is no proposal.
    std::erase_if(out.moves, [](const ReferenceMove& move) {
        return std::abs(move.afterDb) > 0.8 * std::abs(move.beforeDb);
    });
    return out;
}

}  // namespace ember
