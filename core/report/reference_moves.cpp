#include "core/base/error.h"
#include "core/base/number.h"
#include "core/base/text.h"
#include "core/report/midi_write.h"
#include "core/report/reference.h"
#include "core/report/through_music.h"
#include "core/session/bell.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace ember {
namespace {

constexpr double kSameTempo = 0.3;  // BPM
constexpr std::size_t kBandsNamed = 3;
constexpr double kDrumsDb = 1.5;
constexpr double kWideDb = 3.0;  // by which a width is worth a word
constexpr double kPeaksDb = 2.0, kLouderLu = 0.3;

std::string decibels(double value) {
    return numberText(std::abs(value), 1) + " dB";
}

// Side against middle over an octave, dB; nothing where it was not measured.
std::optional<double> widthAt(const SignalLevels& levels, double hertz) {
    for (const BandWidth& band : levels.width) {
        if (std::abs(std::log2(band.hertz / hertz)) < 0.5) return band.sideToMidDb;
    }
    return std::nullopt;
}

}  // namespace

std::string recordDrum(std::string_view drum) {
    return drum == "hihat" ? "hat" : std::string(drum);
}

std::vector<std::string> referenceText(const Session& session, const ReferenceReading& reference) {
    std::vector<std::string> out;
    const double own = tempoAt(session.time, reference.begins);
    if (reference.timing.bpm <= 0.0)
        out.push_back("Its tempo could not be found, so nothing is known of its bars.");
    else if (std::abs(reference.timing.bpm - own) <= kSameTempo)
        out.push_back("It goes at " + numberText(reference.timing.bpm, 1) +
                      " bpm, as this session does.");
    else
        out.push_back("It goes at " + numberText(reference.timing.bpm, 1) +
                      " bpm and this session at " + numberText(own, 1) +
                      ": their bars part behind the first.");
    std::vector<std::string> sure;
    for (const StrokesHeard& h : reference.heard)
        sure.push_back(fmt::format("{} strokes of its {} ({} % sure)", h.strokes,
                                   recordDrum(h.drum), numberText(100.0 * h.sure, 0)));
    if (sure.empty())
        out.emplace_back("No strokes were found in it.");
    else
        out.push_back("Heard under everything else: " + listed(sure) + ".");
    if (reference.timing.bpm > 0.0 && reference.bare.empty())
        out.emplace_back("Its drums are bare nowhere for a whole bar.");
    return out;
}

std::vector<std::string> sectionsText(const ReferenceReading& reference) {
    std::vector<std::string> out;
    std::vector<std::string> told;
    for (const SongSection& s : reference.sections) {
        if (std::find(told.begin(), told.end(), s.name) != told.end()) continue;
        told.push_back(s.name);
        std::vector<std::string> where;
        for (const SongSection& like : reference.sections) {
            if (like.name == s.name)
                where.push_back(
                    fmt::format("{} to {}", like.firstBar + 1, like.firstBar + like.bars));
        }
        std::string bar;
        for (const SectionDrum& d : s.drums)
            bar += (bar.empty() ? "" : "; ") + recordDrum(d.drum) + " at " + placesText(d.places);
        out.push_back(fmt::format("{}, bars {}: {}.", s.name, listed(where),
                                  bar.empty() ? "nothing is struck in most of them" : bar));
    }
    return out;
}

std::vector<std::string> referenceCheckText(const ReferenceReading& reference,
                                            const ReferenceCheck& check) {
    std::vector<std::string> out;
    const SongFigures& record = heldAgainst(reference, check);
    if (check.drumsAlone)
        out.emplace_back(
            "The mix has nothing but drums here, and is held against the record’s "
            "longest bare bars.");
    if (check.unlike)
        out.emplace_back(
            "The mix has nothing but drums here, and the record is never bare: what "
            "follows of its sound is of bass and voices too.");
    if (std::abs(check.louderDb) >= kLouderLu)
        out.push_back(fmt::format(
            "The record is {} LU {} than the mix; what follows is told as if "
            "both were as loud.",
            numberText(std::abs(check.louderDb), 1), check.louderDb > 0.0 ? "louder" : "quieter"));
    const auto bands = outsideBands(record, check.mix);
    std::vector<std::string> named;
    for (const OutsideBand& band : bands) {
        if (named.size() < kBandsNamed && std::abs(band.db) >= 0.5)
            named.push_back(fmt::format("{} {} at {}", decibels(band.db),
                                        band.db > 0.0 ? "over" : "under", hertzText(band.hertz)));
    }
    out.push_back(named.empty() ? "Its spectrum lies within what the record does."
                                : "Outside of what the record does: " + listed(named) + ".");
    for (const char* drum : {"snare", "hihat"}) {
        const auto own = overKick(check.mix, drum), theirs = overKick(reference.whole, drum);
        if (!own || !theirs || std::abs(*theirs - *own) < kDrumsDb) continue;
        out.push_back(fmt::format("The record’s {} stands {} {} against its kick than this one’s.",
                                  recordDrum(drum), decibels(*theirs - *own),
                                  *theirs > *own ? "higher" : "lower"));
    }
    for (const double hertz : {125.0, 1000.0, 8000.0}) {
        const auto own = widthAt(check.mix.levels, hertz), theirs = widthAt(record.levels, hertz);
        if (!own || !theirs || std::abs(*own - *theirs) < kWideDb ||
            std::max(*own, *theirs) < -30.0)
            continue;
        out.push_back(fmt::format(
            "Around {} its sides lie {} {} against the middle than the "
            "record’s.",
            hertzText(hertz), decibels(*own - *theirs), *own > *theirs ? "higher" : "lower"));
    }
    const double peaks = check.mix.peakOverLoudness() - record.peakOverLoudness();
    if (std::abs(peaks) >= kPeaksDb)
        out.push_back(fmt::format("Its peaks stand {} {} over its loudness than the record’s{}.",
                                  decibels(peaks), peaks > 0.0 ? "further" : "less far",
                                  peaks > 0.0 ? ", which was pressed more" : ""));
    if (check.moves.empty())
        out.emplace_back(
            "Nothing is proposed: what differs is small, or no fader and no broad bell "
            "would mend it.");
    return out;
}

std::string referenceMoveText(const Session& session, const ReferenceMove& move) {
    if (move.kind == ReferenceMove::Kind::drum)
        return fmt::format("{} {} by {}, as the record has it: {} off now, {} then.",
                           drumName(session, move.drum), move.db > 0.0 ? "up" : "down",
                           decibels(move.db), decibels(move.beforeDb), decibels(move.afterDb));
    std::vector<std::string> bands;
    for (const BandFit& band : move.bands)
        bands.push_back(changeText(band.gainDb, 1) + " dB at " + hertzText(band.frequency));
    const Row* row = findRow(session, move.row);
    return fmt::format("{}: {}. Outside of the record’s range by {} now, {} then.",
                       row != nullptr ? row->name : move.row, listed(bands),
                       decibels(move.beforeDb), decibels(move.afterDb));
}

std::string modulationText(double lowHertz, double highHertz,
                           const std::vector<Modulation>& found) {
    const std::string where = hertzText(lowHertz) + " to " + hertzText(highHertz) + ": ";
    std::vector<std::string> said;
    for (const Modulation& m : found) {
        if (m.chance > kModulationChance) continue;
        said.push_back(fmt::format("{} a second by {}{}", numberText(m.hertz, 2),
                                   decibels(m.depthDb),
                                   m.withBeat ? " (with the beat: it may be what is played)" : ""));
    }
    if (!said.empty()) return where + "the level moves " + listed(said) + ".";
    if (!found.empty())
        return where + fmt::format(
                           "perhaps something at {} a second, but {} % of bands without any "
                           "show as much.",
                           numberText(found.front().hertz, 2),
                           numberText(100.0 * found.front().chance, 0));
    return where + "nothing moves by itself.";
}

Session withReferenceMove(Session session, const ReferenceMove& move) {
    if (move.kind == ReferenceMove::Kind::drum)
        return withDrumRaised(std::move(session), move.drum, move.db);
    for (const BandFit& band : move.bands)
        session = withBell(std::move(session), move.row, band.frequency, band.gainDb, band.q,
                           "as the record has it")
                      .session;
    return session;
}

void writeReferenceMidi(const Session& session, const ReferenceReading& reference,
                        const std::filesystem::path& file) {
    Session its = session;
    if (reference.timing.bpm > 0.0)
        its.time = steadyTime(reference.timing.bpm, reference.timing.firstBar,
                              session.time.metres.front().beats, session.time.metres.front().unit);
    std::vector<MidiMark> marks;
    for (const SongSection& s : reference.sections) marks.push_back({s.from, s.name});
    writeStrokesMidi(its, reference.strokes, file, marks);
}

}  // namespace ember
