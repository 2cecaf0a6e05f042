#include "core/report/low_end.h"

#include "core/advise/bus_heard.h"
#include "core/advise/proposal.h"
#include "core/base/error.h"
#include "core/base/number.h"
#include "core/base/statistics.h"
#include "core/measure/kit/kit_mics.h"
#include "core/measure/level/levels.h"
#include "core/measure/strokes/played.h"
#include "core/report/adds_up.h"
#include "core/report/bus_members.h"
#include "core/report/ear_bands.h"
#include "core/report/mix_figures.h"
#include "core/session/routing.h"

#include <algorithm>
#include <cmath>
#include <numbers>
#include <numeric>
#include <set>
#include <span>

namespace ember {
namespace {

constexpr int kOctaves = 4, kThirds = 3 * kOctaves;
constexpr double kLowEdge = 31.25 / std::numbers::sqrt2;  // Hz
// A stroke from a little before it until it has said what it says at the bottom.
constexpr double kAhead = 0.005, kStrokeLength = 0.25;  // seconds

std::vector<double> thirdEdges() {
    std::vector<double> out;
    for (int i = 0; i <= kThirds; ++i) out.push_back(kLowEdge * std::exp2(i / 3.0));
    return out;
}

double dbOf(double power) {
    return 10.0 * std::log10(std::max(power, 1e-30));
}

// Powers by third under every stroke.
using StrokePowers = std::vector<std::vector<double>>;

// The rows alone, each as it leaves its fader, and what is measured of them under the strokes.
class Bottom {
  public:
    Bottom(const Session& session, AudioStore& store, double from, double to,
           const Progress& progress)
        : rate_(session.sampleRate),
          from_(from),
          kicks_(lowKicks(session)),
          basses_(lowBasses(session)) {
        std::vector<std::string> rows = kicks_;
        rows.insert(rows.end(), basses_.begin(), basses_.end());
        rows.push_back(mainRow(session));
        for (RowAudio& one :
             renderRows(withRowsAndKeys(session, rows), store, heardOver(from, to), progress)) {
            const bool bass = isOneOf(basses_, one.row);
            if (!bass && !isOneOf(kicks_, one.row)) continue;
            addMono(bass ? bass_ : kick_, sidesMixed(one.audio));
            rows_.push_back(std::move(one));
        }
        std::set<std::string> drums;
        for (const std::string& row : kicks_) drums.insert(drumOfRow(session, row));
        const double until = from + static_cast<double>(kick_.size()) / rate_;
        for (const Stroke& s : playedStrokes(session)) {
            if (drums.contains(s.drum) && s.time >= from && s.time + 0.5 * kStrokeLength < until)
                strokes_.push_back(s.time);
        }
    }

    [[nodiscard]] const std::vector<RowAudio>& rows() const { return rows_; }
    [[nodiscard]] const std::vector<float>& kick() const { return kick_; }
    [[nodiscard]] const std::vector<float>& bass() const { return bass_; }
    [[nodiscard]] const std::vector<double>& strokes() const { return strokes_; }
    [[nodiscard]] double from() const { return from_; }
    [[nodiscard]] bool isBass(const std::string& row) const { return isOneOf(basses_, row); }

    [[nodiscard]] StrokePowers under(const std::vector<float>& signal) const {
        BandPowers powers(rate_, thirdEdges());
        StrokePowers out;
        for (std::size_t i = 0; i < strokes_.size(); ++i) {
            out.push_back(powers.none());
            const double next =
                i + 1 < strokes_.size() ? strokes_[i + 1] - kAhead : strokes_[i] + 1.0;
            const double begin = strokes_[i] - kAhead;
            powers.add(stretch(signal, begin, std::min(begin + kStrokeLength, next)), out.back());
        }
        return out;
    }
    [[nodiscard]] double loudestStrokesDb(const AudioBuffer& audio) const {
        return strokePeakDb(audio, from_, strokes_, kLoudestPart);
    }

  private:
    static bool isOneOf(const std::vector<std::string>& rows, const std::string& row) {
        return std::find(rows.begin(), rows.end(), row) != rows.end();
    }
    static void addMono(std::vector<float>& sum, const std::vector<float>& one) {
        sum.resize(std::max(sum.size(), one.size()), 0.0F);
        for (std::size_t i = 0; i < one.size(); ++i) sum[i] += one[i];
    }
    [[nodiscard]] std::span<const float> stretch(const std::vector<float>& signal, double begin,
                                                 double end) const {
        const auto place = [&](double seconds) {
            return static_cast<std::size_t>(std::clamp(std::round((seconds - from_) * rate_), 0.0,
                                                       static_cast<double>(signal.size())));
        };
        const std::size_t first = place(begin), last = std::max(first, place(end));
        return std::span(signal).subspan(first, last - first);
    }

    double rate_, from_;
    std::vector<std::string> kicks_, basses_;
    std::vector<RowAudio> rows_;
    std::vector<float> kick_, bass_;  // sums, sides mixed
    std::vector<double> strokes_;     // seconds
};

std::vector<double> summed(const StrokePowers& powers) {
    std::vector<double> out(kThirds, 0.0);
    for (const auto& one : powers) {
        for (std::size_t i = 0; i < out.size(); ++i) out[i] += one[i];
    }
    return out;
}

double ofOctave(const std::vector<double>& thirds, std::size_t octave) {
    return thirds[3 * octave] + thirds[3 * octave + 1] + thirds[3 * octave + 2];
}

std::size_t loudestOctave(const std::vector<double>& thirds) {
    std::size_t best = 0;
    for (std::size_t o = 1; o < kOctaves; ++o) {
        if (ofOctave(thirds, o) > ofOctave(thirds, best)) best = o;
    }
    return best;
}

// How far one stands over the other in an octave, stroke by stroke.
std::vector<double> standsOver(const StrokePowers& one, const StrokePowers& other,
                               std::size_t octave) {
    std::vector<double> out;
    for (std::size_t i = 0; i < one.size(); ++i) {
        const double own = ofOctave(one[i], octave), rest = ofOctave(other[i], octave);
        // Where nothing else sounds it stands clear, by no more than anybody asks about.
        out.push_back(std::clamp(dbOf(own) - dbOf(rest), -60.0, 60.0));
    }
    return out;
}

std::vector<float> combined(const std::vector<float>& a, const std::vector<float>& b, float sign) {
    std::vector<float> out(a);
    for (std::size_t i = 0; i < std::min(a.size(), b.size()); ++i) out[i] += sign * b[i];
    return out;
}

double loudness(const AudioBuffer& audio, double rate) {
    const std::vector<std::span<const float>> sides(audio.channels.begin(), audio.channels.end());
    return measureLevels(sides, rate).integrated;
}

LowOwner ownerOf(double kickDb, double bassDb) {
    constexpr double kNothingDb = -30.0;  // under the loudest octave
    if (std::max(kickDb, bassDb) < kNothingDb) return LowOwner::nobody;
    if (kickDb - bassDb >= kOwnsDb) return LowOwner::kick;
    return bassDb - kickDb >= kOwnsDb ? LowOwner::bass : LowOwner::both;
}

// Everything of one rendering under the strokes.
struct Under {
    StrokePowers kick, bass;
    std::vector<double> kicks, basses, sums, flipped;  // by third, over all strokes

    explicit Under(const Bottom& of)
        : kick(of.under(of.kick())),
          bass(of.under(of.bass())),
          kicks(summed(kick)),
          basses(summed(bass)),
          sums(summed(of.under(combined(of.kick(), of.bass(), 1.0F)))),
          flipped(summed(of.under(combined(of.kick(), of.bass(), -1.0F)))) {}

    [[nodiscard]] std::vector<double> kickOver(std::size_t octave) const {
        return standsOver(kick, bass, octave);
    }
    [[nodiscard]] std::vector<double> bassOver(std::size_t octave) const {
        return standsOver(bass, kick, octave);
    }
    [[nodiscard]] double lows() const { return std::accumulate(sums.begin(), sums.end(), 0.0); }
};

void fillOctaves(LowEnd& out, const Under& under) {
    double loudest = 1e-30;
    for (std::size_t o = 0; o < kOctaves; ++o)
        loudest = std::max({loudest, ofOctave(under.kicks, o), ofOctave(under.basses, o)});
    for (std::size_t o = 0; o < kOctaves; ++o) {
        const double kick = ofOctave(under.kicks, o), bass = ofOctave(under.basses, o);
        const std::vector<double> clear = under.kickOver(o);
        LowOctave octave;
        octave.low = kLowEdge * std::exp2(static_cast<double>(o));
        octave.high = 2.0 * octave.low;
        octave.kickDb = std::max(-150.0, dbOf(kick / loudest));
        octave.bassDb = std::max(-150.0, dbOf(bass / loudest));
        octave.owner = ownerOf(octave.kickDb, octave.bassDb);
        octave.clash = static_cast<double>(std::count_if(clear.begin(), clear.end(),
                                                         [](double db) { return db < kClearDb; })) /
                       static_cast<double>(clear.size());
        octave.sumDb = addedDb(kick, bass, ofOctave(under.sums, o));
        octave.flippedDb = addedDb(kick, bass, ofOctave(under.flipped, o));
        out.octaves.push_back(octave);
    }
    const double top =
        std::max({*std::max_element(under.kicks.begin(), under.kicks.end()),
                  *std::max_element(under.basses.begin(), under.basses.end()), 1e-30});
    for (std::size_t i = 0; i < kThirds; ++i) {
        out.thirds.push_back(kLowEdge * std::exp2((static_cast<double>(i) + 0.5) / 3.0));
        out.kick.push_back(std::max(-150.0, dbOf(under.kicks[i] / top)));
        out.bass.push_back(std::max(-150.0, dbOf(under.basses[i] / top)));
        out.pair.push_back(std::max(-150.0, dbOf(under.sums[i] / top)));
    }
}

LowRow readRow(const Session& session, const Bottom& bottom, const Under& under,
               const RowAudio& one) {
    LowRow row;
    row.row = one.row;
    row.bass = bottom.isBass(one.row);
    row.peakDb = samplePeakDb(one.audio);
    const LevelTarget* target = row.bass ? nullptr : targetFor(session, *findRow(session, one.row));
    if (target != nullptr) {
        row.targetDb = target->db;
        row.readsDb = targetReading(session, *target, one.row, one.audio, bottom.from());
    }
    const StrokePowers own = bottom.under(sidesMixed(one.audio));
    const std::vector<double> powers = summed(own);
    const std::size_t octave = loudestOctave(powers);
    row.ownHertz = loudestThird(powers, octave);
    row.overDb = median(standsOver(own, row.bass ? under.kick : under.bass, octave));
    return row;
}

void fillRows(LowEnd& out, const Session& session, const Bottom& bottom, const Under& under) {
    AudioBuffer kick{static_cast<double>(session.sampleRate), {{}, {}}}, pair = kick;
    for (const bool bass : {false, true}) {
        for (const RowAudio& one : bottom.rows()) {
            if (bottom.isBass(one.row) != bass) continue;
            addTo(pair, one.audio);
            if (!bass) addTo(kick, one.audio);
            out.rows.push_back(readRow(session, bottom, under, one));
        }
    }
    out.kickPeakDb = bottom.loudestStrokesDb(kick);
    out.pairPeakDb = bottom.loudestStrokesDb(pair);
}

double loudnessIn(const Bottom& bottom, const std::string& row, double rate) {
    for (const RowAudio& one : bottom.rows()) {
        if (one.row == row) return loudness(one.audio, rate);
    }
    return kSilenceDb;
}

}  // namespace

double loudestThird(const std::vector<double>& thirds, std::size_t octave) {
    const auto begin = thirds.begin() + static_cast<std::ptrdiff_t>(3 * octave);
    const auto at = static_cast<double>(std::max_element(begin, begin + 3) - thirds.begin());
    return kLowEdge * std::exp2((at + 0.5) / 3.0);
}

double targetReading(const Session& session, const LevelTarget& target, const std::string& row,
                     const AudioBuffer& audio, double from) {
    if (!target.peak) return loudness(audio, session.sampleRate);
    const double until = from + static_cast<double>(audio.frames()) / session.sampleRate;
    std::vector<double> strokes;
    for (const Stroke& s : playedStrokes(session, drumOfRow(session, row))) {
        if (s.time >= from && s.time < until) strokes.push_back(s.time);
    }
    return strokePeakDb(audio, from, strokes,
                        target.strokes == TargetStrokes::loudest ? kLoudestPart : 0.5);
}

LowEnd lowEnd(const Session& session, AudioStore& store, double from, double to,
              const Progress& progress) {
    if (lowKicks(session).empty())
        throw Error("There is no kick in this session; say on the Board which row is one.");
    if (lowBasses(session).empty())
        throw Error(
            "There is no bass to judge the kick with; take its recording in with those of the kit, "
            "as a guest: it is heard while mixing and is no part of the mix.");
    const Bottom bottom(session, store, from, to, progress);
    if (bottom.strokes().empty())
        throw Error(
            "No stroke of the kick is known here; listen to the kit first, or choose a stretch in "
            "which it plays.");
    const Under under(bottom);
    LowEnd out;
    fillOctaves(out, under);
    out.own = loudestOctave(under.kicks);
    const std::vector<double> clear = under.kickOver(out.own);
    for (std::size_t i = 0; i < clear.size(); ++i)
        out.strokes.push_back({bottom.strokes()[i], clear[i]});
    out.overDb = median(clear);
    fillRows(out, session, bottom, under);
    const std::size_t theirs = loudestOctave(under.basses);
    out.moves = lowMovesFor(session, out);
    for (LowMove& move : out.moves) {
        const Bottom tried(withLowMove(session, move).session, store, from, to, progress);
        const Under then(tried);
        move.freesDb = move.kind == LowMove::Kind::cutKick
                           ? median(then.bassOver(theirs)) - median(under.bassOver(theirs))
                           : median(then.kickOver(out.own)) - out.overDb;
        move.costsLu = loudnessIn(tried, move.row, session.sampleRate) -
                       loudnessIn(bottom, move.row, session.sampleRate);
        move.lowsDb = dbOf(then.lows()) - dbOf(under.lows());
    }
    return out;
}

}  // namespace ember
