#include "app/evidence/evidence_facts.h"

#include "app/widgets/words.h"
#include "core/advise/proposal.h"
#include "core/base/units.h"
#include "core/measure/kit/kit_mics.h"
#include "core/measure/strokes/played.h"

#include <QObject>

#include <algorithm>
#include <cmath>
#include <map>

namespace ember::app {
namespace {

QString nameOf(const Session& session, const std::string& drum) {
    return QString::fromStdString(drumName(session, drum));
}

// The loudest head or wires of another microphone's drum that hum along in this one.
QString foreignHum(const Session& session, const KitMeasurement& m, const std::string& row,
                   const std::string& drum) {
    constexpr double kHeard = -60.0;  // dBFS
    QString text;
    double most = kHeard;
    for (const Sympathy& s : m.sympathy) {
        if (s.mic == row || s.drum == drum) continue;
        for (const SympathyInMic& in : sympathyByMic(s, m.bleed)) {
            if (in.mic != row || in.peakDb <= most) continue;
            most = in.peakDb;
            text =
                (s.wires
                     ? QObject::tr("%1’s wires are heard here buzzing along with the %2, %3 dBFS")
                     : QObject::tr("%1’s head is heard here humming along with the %2, %3 dBFS"))
                    .arg(nameOf(session, s.drum), nameOf(session, s.struck))
                    .arg(figure(most, 0));
        }
    }
    return text;
}

// What one microphone's delay tells of a row: its own against its drum's reference, and what the
// overheads hear of a reference.
QStringList delayFacts(const Session& session, const PhasePair& p, const std::string& row) {
    if (p.mic == row && p.mic == p.reference) return {QObject::tr("The reference of its drum.")};
    const QString delay =
        QObject::tr("%1 ms").arg(figure(1000.0 * p.delaySamples / session.sampleRate, 2)) +
        (p.delaySure ? QString() : QObject::tr(" (not sure)"));
    if (p.mic == row)
        return {QObject::tr("%1 against %2, coherence %3%4")
                    .arg(delay, rowName(session, p.reference), figure(p.coherence, 2),
                         p.polarity < 0
                             ? QObject::tr(", the other way up")
                             : (p.polarity == 0 ? QObject::tr(", polarity not sure") : QString()))};
    const Row* heard = findRow(session, p.mic);
    if (p.reference != row || heard == nullptr || heard->role != Role::overhead) return {};
    return {QObject::tr("%1 hears it %2 later").arg(rowName(session, p.mic), delay)};
}

}  // namespace

QStringList evidenceFacts(const Session& session, const KitMeasurement* measured,
                          const RowTrace* trace, const Row& row, std::optional<Column> column) {
    const std::string drum = drumOfRow(session, row.id);
    QStringList facts;
    if (measured && !drum.empty()) {
        std::map<StrokeKind, int> kinds;
        int all = 0;
        std::vector<Stroke> struck = measured->strokes.strokes;
        for (Stroke& note : programmedStrokes(session)) struck.push_back(std::move(note));
        for (const Stroke& s : struck) {
            if (s.drum != drum) continue;
            ++all;
            ++kinds[s.kind];
        }
        QStringList parts;
        const auto count = [&](StrokeKind kind, const QString& one, const QString& many) {
            const int n = kinds[kind];
            if (n > 0) parts << QString::number(n) + " " + (n == 1 ? one : many);
        };
        count(StrokeKind::accent, QObject::tr("accent"), QObject::tr("accents"));
        count(StrokeKind::ghost, QObject::tr("ghost"), QObject::tr("ghosts"));
        count(StrokeKind::flam, QObject::tr("flam"), QObject::tr("flams"));
        facts << (all == 1
                      ? QObject::tr("One stroke of the %1").arg(nameOf(session, drum))
                      : QObject::tr("%1 strokes of the %2").arg(all).arg(nameOf(session, drum))) +
                     (parts.isEmpty() ? QString() : ": " + parts.join(", "));
        if (all > 0 && all < 6) facts << QObject::tr("So few that what rests on them is unsure.");
        for (const DrumTone& t : measured->tone) {
            if (t.drum != drum) continue;
            if (t.fundamental > 0.0)
                facts << QObject::tr("note %1 Hz, T60 %2 s")
                             .arg(figure(t.fundamental, 1))
                             .arg(figure(t.decayT60, 2));
            const double wanted = noteTarget(session, drum);
            if (column == Column::repair && wanted > 0.0 && t.fundamental > 0.0) {
                const double off = 12.0 * std::log2(t.fundamental / wanted);
                facts << (std::abs(off) < 0.1
                              ? QObject::tr("meets the note wanted of it, %1 Hz")
                                    .arg(figure(wanted, 1))
                              : QObject::tr("%1 semitones %2 the %3 Hz wanted of it")
                                    .arg(figure(std::abs(off), 1),
                                         off < 0.0 ? QObject::tr("under") : QObject::tr("over"),
                                         figure(wanted, 1)));
            }
            if (column == Column::dynamics)
                facts << QObject::tr(
                             "crest %1 dB, attack against body %2 dB, strokes spread by %3 dB")
                             .arg(figure(t.crestDb, 1))
                             .arg(figure(t.transientToBodyDb, 1))
                             .arg(figure(t.levelSpreadDb, 1));
        }
        for (const PhasePair& p : measured->phase) {
            if (column == Column::align && p.drum == drum) facts += delayFacts(session, p, row.id);
        }
    } else if (row.kind == RowKind::reference) {
        facts << QObject::tr("Kept beside the mix: S plays it in place of it, as loud as the mix.");
    } else if (row.kind == RowKind::guest) {
        facts << QObject::tr("A guest: heard while mixing, no part of the mix.");
    } else if (measured && hasSources(row.kind)) {
        facts << QObject::tr("Hears the whole kit.");
    }
    for (const SignalLevels& l : measured ? measured->levels : std::vector<SignalLevels>{}) {
        if (l.row != row.id || column != Column::seat) continue;
        facts << QObject::tr("recorded at %1 LUFS, peak %2 dBTP, crest %3 dB")
                     .arg(figure(l.integrated, 1))
                     .arg(figure(l.truePeak, 1))
                     .arg(figure(l.crestDb, 1));
        if (!l.width.empty())
            facts << QObject::tr("correlation %1, mono costs %2 dB")
                         .arg(figure(l.correlation, 2))
                         .arg(figure(l.monoLossDb, 1));
    }
    const LevelTarget* target = targetFor(session, row);
    if (trace != nullptr && measured && column == Column::seat && !drum.empty() &&
        target != nullptr && target->peak && !trace->stages.empty()) {
        // The biggest stroke alone, as it leaves the seat.
        const std::vector<float>& out = trace->stages.back().outputPeak;
        const double perBlock = static_cast<double>(kBlock) / session.sampleRate;
        float most = 0.0F;
        for (const Stroke& s : measured->strokes.strokes) {
            if (s.drum != drum) continue;
            const auto from = static_cast<std::size_t>(std::max(0.0, s.time / perBlock));
            for (std::size_t b = from; b < std::min(out.size(), from + 24); ++b)
                most = std::max(most, out[b]);
        }
        if (most > 0.0F) {
            const double peak = dbFromGain(static_cast<double>(most)), over = peak - target->db;
            facts << QObject::tr(
                         "its biggest stroke alone peaks at %1 dBFS: %2 dB %3 its target of %4")
                         .arg(figure(peak), figure(std::abs(over)),
                              over >= 0.0 ? QObject::tr("over") : QObject::tr("under"),
                              figure(target->db, 0));
        }
    }
    if (trace != nullptr && column == Column::seat && trace->output.integrated > -100.0)
        facts << QObject::tr("leaves here at %1 LUFS, peak %2 dBFS")
                     .arg(figure(trace->output.integrated, 1))
                     .arg(figure(trace->output.samplePeak, 1));
    for (const Sympathy& s : measured ? measured->sympathy : std::vector<Sympathy>{}) {
        if (s.mic != row.id || (column != Column::gate && column != Column::repair) ||
            s.relativeDb < -40.0)
            continue;
        facts << (s.wires ? QObject::tr("wires buzz to %1 at %2 dB")
                          : QObject::tr("head hums to %1 at %2 dB"))
                     .arg(nameOf(session, s.struck))
                     .arg(figure(s.relativeDb, 0));
    }
    if (const QString foreign = measured && column == Column::gate
                                    ? foreignHum(session, *measured, row.id, drum)
                                    : QString();
        !foreign.isEmpty())
        facts << foreign;
    return facts;
}

}  // namespace ember::app
