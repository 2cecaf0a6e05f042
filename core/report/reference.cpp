#include "core/report/reference.h"

#include "core/audio/file.h"
#include "core/base/error.h"
#include "core/base/text.h"
#include "core/measure/kit/tempo.h"
#include "core/measure/level/loudness.h"
#include "core/measure/song/song_strokes.h"
#include "core/report/cut_samples.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <map>

namespace ember {
namespace {

constexpr double kRecordPiece = 3.0;  // seconds
constexpr std::size_t kFewestPieces = 4;
constexpr double kUsualRangeDb = 3.0;
constexpr double kLeastForRange = 6.0;  // seconds
constexpr double kLongestCut = 0.8;     // seconds
constexpr int kRecordThirds = 3;
constexpr double kSureTempo = 0.5;  // share of strokes that lie on the grid of a tempo

Spectrum thirdsOf(const SongSides& sides, double rate) {
    SpectrumMeter meter(rate);
    std::vector<float> both(sides[0].begin(), sides[0].end());
    for (std::size_t i = 0; sides.size() > 1 && i < both.size(); ++i)
        both[i] = 0.5F * (both[i] + sides[1][i]);
    meter.add(both);
    return meter.result(kRecordThirds);
}

// Between which the thirds lie in four of five pieces, each piece as loud as the whole.
void spreadOf(const SongSides& sides, double rate, SongFigures& figures, const Progress& progress) {
    const Spectrum& whole = figures.levels.spectrum;
    const auto piece = static_cast<std::size_t>(kRecordPiece * rate);
    std::vector<std::vector<double>> levels(whole.level.size());
    for (std::size_t at = 0; at + piece <= sides[0].size(); at += piece) {
        report(progress, static_cast<double>(at) / static_cast<double>(sides[0].size()),
               "Comparing its parts");
        SongSides part;
        for (const auto& side : sides) part.push_back(side.subspan(at, piece));
        const Spectrum here = thirdsOf(part, rate);
        const double louder = figures.levels.integrated -
                              measureLevels(part, rate, LoudnessDetail::integrated).integrated;
        // What is nearly silent says nothing about the sound of the rest.
        if (!(std::abs(louder) < 12.0)) continue;
        for (std::size_t b = 0; b < levels.size(); ++b) levels[b].push_back(here.level[b] + louder);
    }
    figures.low = figures.high = whole;
    for (std::size_t b = 0; b < levels.size(); ++b) {
        std::vector<double>& all = levels[b];
        if (all.size() < kFewestPieces) {
            figures.low.level[b] -= kUsualRangeDb;
            figures.high.level[b] += kUsualRangeDb;
            continue;
        }
        std::sort(all.begin(), all.end());
        const auto at = [&](double part) {
            return all[static_cast<std::size_t>(
                std::lround(part * static_cast<double>(all.size() - 1)))];
        };
        figures.low.level[b] = std::min(whole.level[b], at(0.1));
        figures.high.level[b] = std::max(whole.level[b], at(0.9));
    }
}

std::vector<Stroke> shifted(std::vector<Stroke> strokes, double by) {
    for (Stroke& s : strokes) s.time += by;
    return strokes;
}

const Row& requireReference(const Session& session, const std::string& id) {
    const Row* row = findRow(session, id);
    if (row == nullptr || row->kind != RowKind::reference)
        throw Error("“" + id + "” is no reference of this session.");
    if (row->sources.empty()) throw Error(row->name + " has no recording.");
    return *row;
}

// The sides of a reference, as far as both go, and what keeps them.
struct Opened {
    std::vector<std::shared_ptr<const Clip>> clips;
    SongSides sides;
};
Opened openReference(const Row& row, AudioStore& store, int rate, const Progress& progress) {
    Opened out;
    const auto most = static_cast<std::size_t>(kLongestReference * rate);
    std::size_t frames = most;
    for (const Source& source : row.sources) {
        const auto clip = store.open(source.file, rate, progress);
        out.clips.push_back(clip);
        out.sides.push_back(clip->channel(source.channel));
        frames = std::min(frames, out.sides.back().size());
    }
    for (auto& side : out.sides) side = side.first(frames);
    if (frames == 0) throw Error(row.name + " is empty.");
    return out;
}

std::vector<double> barLinesOf(const KitTiming& timing, const MetreChange& metre, double seconds) {
    std::vector<double> out;
    const double bar = 240.0 / timing.bpm * metre.beats / metre.unit;
    double at = timing.firstBar - std::floor(timing.firstBar / bar) * bar;
    for (; at < seconds; at += bar) out.push_back(at);
    return out;
}

}  // namespace

SongFigures songFigures(const SongSides& sides, double rate, const std::vector<Stroke>& strokes,
                        const Progress& progress) {
    SongFigures out;
    out.levels = measureLevels(sides, rate);
    out.levels.spectrum = thirdsOf(sides, rate);
    if (static_cast<double>(sides[0].size()) > kLeastForRange * rate)
        out.rangeLu = loudnessRange(sides, rate);
    spreadOf(sides, rate, out, progress);
    out.drums = drumsStand(sides, rate, strokes);
    return out;
}

ReferenceReading readReference(const Session& session, AudioStore& store, const std::string& id,
                               const Progress& progress) {
    const Row& row = requireReference(session, id);
    const Opened opened = openReference(row, store, session.sampleRate, within(progress, 0.0, 0.1));
    const double rate = session.sampleRate;
    ReferenceReading out;
    out.row = id;
    const double seconds = static_cast<double>(opened.sides[0].size()) / rate;
    out.ends = seconds;
    report(progress, 0.1, "Finding its strokes");
    const std::vector<Stroke> strokes =
        findSongStrokes(opened.sides, rate, within(progress, 0.1, 0.4));
    std::map<std::string, StrokesHeard> heard;
    for (const Stroke& s : strokes) {
        StrokesHeard& h = heard[s.drum];
        h.drum = s.drum;
        ++h.strokes;
        h.sure += s.confidence;
    }
    for (auto& [drum, h] : heard) {
        h.sure /= h.strokes;
        out.heard.push_back(h);
    }
    report(progress, 0.4, "Finding its tempo");
    const Tempo tempo = measureTempo(opened.clips);
    KitTiming timing = measureTiming(strokes, steadyTime(std::round(tempo.bpm)));
    if (timing.confidence < kSureTempo) timing.bpm = 0.0;
    std::vector<BareBars> bare;
    if (timing.bpm > 0.0) {
        const auto lines = barLinesOf(timing, session.time.metres.front(), seconds);
        bare = bareBars(opened.sides, rate, lines, strokes, within(progress, 0.45, 0.65));
        out.sections = songSections(opened.sides, rate, lines, session.time.metres.front().beats,
                                    strokes, within(progress, 0.65, 0.7));
    }
    out.whole = songFigures(opened.sides, rate, strokes, within(progress, 0.7, 0.95));
    if (!bare.empty()) {
        const BareBars& first = bare.front();
        const auto from = static_cast<std::size_t>(first.from * rate),
                   to = std::min(opened.sides[0].size(), static_cast<std::size_t>(first.to * rate));
        SongSides part;
        for (const auto& side : opened.sides) part.push_back(side.subspan(from, to - from));
        std::vector<Stroke> struck;
        for (const Stroke& s : strokes) {
            if (s.time >= first.from && s.time < first.to) struck.push_back(s);
        }
        out.alone = songFigures(part, rate, shifted(std::move(struck), -first.from), {});
    }
    out.strokes = strokes;
    out.timing = timing;
    out.bare = std::move(bare);
    report(progress, 1.0, "");
    return beginningAt(std::move(out), row.sources.front().offset);
}

ReferenceReading beginningAt(ReferenceReading reading, double begins) {
    const double by = begins - reading.begins;
    reading.begins += by;
    reading.ends += by;
    reading.strokes = shifted(std::move(reading.strokes), by);
    reading.timing.firstBar += by;
    for (DriftPoint& d : reading.timing.drift) d.time += by;
    for (BareBars& b : reading.bare) {
        b.from += by;
        b.to += by;
    }
    for (SongSection& s : reading.sections) {
        s.from += by;
        s.to += by;
    }
    return reading;
}

std::filesystem::path cutFromReference(const Session& session, AudioStore& store,
                                       const ReferenceReading& reference, const std::string& drum,
                                       const std::filesystem::path& folder) {
    const Row& row = requireReference(session, reference.row);
    const Opened opened = openReference(row, store, session.sampleRate, {});
    std::vector<StrokeToCut> alone =
        strokesAlone(reference.strokes, drum, kLongestCut, reference.ends);
    // Until anything else that is struck.
    for (StrokeToCut& s : alone) {
        for (const Stroke& other : reference.strokes) {
            if (other.drum != drum && other.drum != "hihat" && other.time > s.time + 0.03)
                s.seconds = std::min(s.seconds, other.time - s.time - 2.0 * kCutAhead);
        }
    }
    std::erase_if(alone, [](const StrokeToCut& s) { return s.seconds < kStandsAlone; });
    if (alone.empty())
        throw Error("No " + recordDrum(drum) + " of " + row.name +
                    " stands alone for long enough to be cut out.");
    for (StrokeToCut& s : alone) {
        const bool bare =
            std::any_of(reference.bare.begin(), reference.bare.end(),
                        [&](const BareBars& b) { return s.time >= b.from && s.time < b.to; });
        const auto stroke =
            std::find_if(reference.strokes.begin(), reference.strokes.end(),
                         [&](const Stroke& of) { return of.drum == drum && of.time == s.time; });
        s.unclean = disturbance(reference.strokes, drum, s) + (bare ? 0.0 : 1.0) +
                    (stroke != reference.strokes.end() ? 1.0 - stroke->confidence : 0.0) +
                    std::max(0.0, 0.9 - s.velocity);
    }
    const StrokeToCut& best = *std::min_element(
        alone.begin(), alone.end(),
        [](const StrokeToCut& a, const StrokeToCut& b) { return a.unclean < b.unclean; });
    const double rate = session.sampleRate, at = best.time - reference.begins;
    const double length = static_cast<double>(opened.sides[0].size());
    const auto frame = [&](double seconds) {
        return static_cast<std::size_t>(std::clamp(std::round(seconds * rate), 0.0, length));
    };
    const std::size_t from = frame(at - kCutAhead), to = frame(at + best.seconds);
    AudioBuffer cut;
    cut.sampleRate = rate;
    for (const auto& side : opened.sides) {
        const auto part = side.subspan(from, to - from);
        cut.channels.emplace_back(part.begin(), part.end());
    }
    std::filesystem::path file = folder / (hyphenated(row.name) + " " + recordDrum(drum) + ".wav");
    writeAudio(file, fadedCut(cut, 0, to - from), SampleDepth::float32);
    return file;
}

std::vector<Modulation> modulationIn(const Session& session, AudioStore& store,
                                     const ReferenceReading& reference, double from, double to,
                                     double lowHertz, double highHertz) {
    const Opened opened =
        openReference(requireReference(session, reference.row), store, session.sampleRate, {});
    const double rate = session.sampleRate;
    const auto frame = [&](double seconds) {
        return static_cast<std::size_t>(std::clamp(std::round((seconds - reference.begins) * rate),
                                                   0.0,
                                                   static_cast<double>(opened.sides[0].size())));
    };
    const std::size_t first = frame(from), last = std::max(first, frame(to));
    SongSides part;
    for (const auto& side : opened.sides) part.push_back(side.subspan(first, last - first));
    return findModulation(part, rate, lowHertz, highHertz, reference.timing.bpm);
}

Session withReferenceAt(Session session, const std::string& id, double at, double to) {
    (void)requireReference(session, id);
    for (Source& source : findRow(session, id)->sources) source.offset += to - at;
    return session;
}

}  // namespace ember
