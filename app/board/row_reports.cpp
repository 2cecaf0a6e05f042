// Reports on rows and sums as they add up: their words and tables.

#include "app/board/row_report_dialog.h"
#include "app/widgets/words.h"
#include "core/advise/proposal.h"
#include "core/base/number.h"
#include "core/base/units.h"
#include "core/dsp/align.h"
#include "core/report/adds_up.h"
#include "core/report/bus_check.h"
#include "core/report/bus_whole.h"
#include "core/report/low_end.h"
#include "core/report/range_report.h"
#include "core/session/range.h"

namespace ember::app {
namespace {

RowReport addsUpLines(const Session& session, const std::string& row, const AddsUp& found) {
    RowReport out{QString::fromStdString(addsUpText(session, row, found)), {}};
    for (const AddedBand& b : found.bands)
        out.lines.push_back({QObject::tr("%1 to %2 Hz").arg(figure(b.low, 0), figure(b.high, 0)),
                             decibels(b.aloneDb), decibels(b.sumDb), decibels(b.flippedDb)});
    if (findStage(*findRow(session, row), "align") == nullptr) return out;
    out.remedies.push_back(
        {"adds-up-turn", QObject::tr("Turn it over"),
         QObject::tr("Inverts the polarity in the row’s align; undo takes it back."),
         [row](Session now) {
             const bool turned =
                 requireStage(requireRow(now, row), "align").values[Align::polarity] >= 0.5;
             return withValue(std::move(now), row, "align", "polarity", turned ? 0.0 : 1.0);
         },
         out.sentence.toStdString()});
    return out;
}

RowReport busLines(const Session& session, const BusCheck& check) {
    RowReport out;
    const QStringList said = sentences(busCheckText(session, check));
    out.sentence = said.join(QLatin1Char(' '));
    const QString nothing = QStringLiteral("–");
    for (const BusMember& m : check.members) {
        const bool hidden = m.heard.sounds && !m.maskedBy.empty() && m.heard.share < kHeardEnough;
        out.lines.push_back(
            {rowName(session, m.row),
             m.heard.sounds ? QObject::tr("%1 %").arg(figure(100.0 * m.heard.share, 0))
                            : QObject::tr("silent"),
             m.heard.sounds ? decibels(m.heard.overDb) : nothing,
             hidden
                 ? QObject::tr("%1, %2 Hz").arg(rowName(session, m.maskedBy), figure(m.maskedHz, 0))
                 : nothing,
             m.sideDb <= -120.0 ? QObject::tr("mono") : decibels(m.sideDb), decibels(m.rangeDb)});
    }
    out.lines.push_back({QObject::tr("The sum"), nothing, nothing, nothing,
                         check.sideDb <= -120.0 ? QObject::tr("mono") : decibels(check.sideDb),
                         decibels(check.rangeDb)});
    return out;
}

RowReport wholeLines(const Session& session, const BusWhole& whole) {
    RowReport out;
    out.sentence = sentences(busWholeText(session, whole)).join(QLatin1Char('\n'));
    const auto percent = [](double share) {
        return QObject::tr("%1 %").arg(figure(100.0 * share, 0));
    };
    out.lines.push_back(
        {QObject::tr("Highs against lows"), decibels(whole.highsDb),
         QObject::tr("%1 to %2 dB").arg(change(whole.usual.low, 0), change(whole.usual.high, 0)),
         QObject::tr("%1, %2").arg(rowName(session, whole.highsRow), percent(whole.highsShare))});
    for (const RoomLeft& room : whole.room)
        out.lines.push_back(
            {QObject::tr("Free: %1").arg(QString::fromStdString(room.name)), percent(room.left),
             QObject::tr("%1 or more").arg(percent(room.usual)),
             room.row.empty()
                 ? QStringLiteral("–")
                 : QObject::tr("%1, %2").arg(rowName(session, room.row), percent(room.rowShare))});
    for (const GuestHeard& guest : whole.guests)
        out.lines.push_back(
            {QObject::tr("%1 is heard").arg(rowName(session, guest.row)), percent(guest.heard),
             QObject::tr("%1 or more").arg(percent(kHeardEnough)),
             guest.behind.empty()
                 ? QStringLiteral("–")
                 : QObject::tr("%1, %2").arg(rowName(session, guest.behind),
                                             QString::fromStdString(hertzText(guest.hertz)))});
    return out;
}

RowReport rangeLines(const Session& session, const std::vector<SumRange>& sums) {
    RowReport out;
    out.sentence = (sentences(rangeText(session, sums))
                    << QObject::tr("What is wanted of a sum is typed into the last column: “even "
                                   "3” for 3 LU at most, “moves 5” for 5 LU at least."))
                       .join(QLatin1Char('\n'));
    const QString nothing = QStringLiteral("–");
    for (const SumRange& sum : sums) {
        const auto units = [&](double lu) { return sum.sounds ? figure(lu) : nothing; };
        const UsualSpan usual = usualRange(sum.kind, session.style);
        const RangeBudget* budget = rangeBudget(session, sum.row);
        QString verdict;
        switch (rangeVerdict(session, sum)) {
            case RangeVerdict::silent:
                verdict = QObject::tr("silent");
                break;
            case RangeVerdict::within:
                verdict = QObject::tr("as it may");
                break;
            case RangeVerdict::tooFar:
                verdict = QObject::tr("too far");
                break;
            case RangeVerdict::tooEven:
                verdict = QObject::tr("too even");
                break;
        }
        out.lines.push_back(
            {rowName(session, sum.row), units(sum.played), units(sum.fed), units(sum.kept),
             QObject::tr("%1 to %2").arg(figure(usual.low, 0), figure(usual.high, 0)), verdict,
             budget != nullptr ? QString::fromStdString(rangeBudgetText(*budget)) : QString()});
    }
    out.again = [sums](const Session& now) { return rangeLines(now, sums); };
    out.typed = [sums](Session now, std::size_t line, const std::string& text) {
        return withRangeTyped(std::move(now), sums.at(line).row, text);
    };
    return out;
}

}  // namespace

RowReportKind addsUpReport(const Session& session, const std::string& row) {
    return {"adds-up",
            QObject::tr("How %1 adds up with what stands beside it").arg(rowName(session, row)),
            {QObject::tr("Octave"), QObject::tr("Against the rest"), QObject::tr("The sum"),
             QObject::tr("Turned over")},
            {{},
             QObject::tr("How loud the row is there against all else."),
             QObject::tr("Against the powers of both: +3 dB where they agree wholly, 0 where they "
                         "have nothing to do with each other, far below where they cancel."),
             QObject::tr("The same with the row’s polarity inverted.")},
            [row](const Session& now, AudioStore& store, double from, double to,
                  const Progress& progress) {
                return addsUpLines(now, row, addsUp(now, store, row, from, to, progress));
            }};
}

RowReportKind busCheckReport(const Session& session, const std::string& bus) {
    return {
        "bus-check",
        QObject::tr("Who is heard in %1").arg(rowName(session, bus)),
        {QObject::tr("Member"), QObject::tr("Heard"), QObject::tr("Over the rest"),
         QObject::tr("Hidden by"), QObject::tr("Sides"), QObject::tr("Moves by")},
        {{},
         QObject::tr("In how much of the time it sounds it is heard among all else in the bus, "
                     "by what the ear’s bands let through."),
         QObject::tr("How far its clearest band lies over what the others would hide, usually."),
         QObject::tr("Who is loudest where it is hidden, and around which frequency."),
         QObject::tr("Side against middle: 0 dB is as wide as it is deep, far below is mono."),
         QObject::tr("Its loudest moments against its usual ones.")},
        [bus](const Session& now, AudioStore& store, double from, double to,
              const Progress& progress) {
            return busLines(now, checkBus(now, store, bus, from, to, progress));
        }};
}

RowReportKind busWholeReport(const Session& session, const std::string& bus) {
    return {
        "bus-whole",
        QObject::tr("%1 as a whole").arg(rowName(session, bus)),
        {QObject::tr("What"), QObject::tr("Here"), QObject::tr("Usually"), QObject::tr("Most by")},
        {{},
         QObject::tr("Highs: 5 to 12 kHz against 40 to 120 Hz. Room: in how much of the time "
                     "the drums lie more than 30 dB under their own strokes there. Guests: in "
                     "how much of the time they play they are heard over the drums."),
         QObject::tr("In the session’s style: what is common, and no rule."),
         QObject::tr("Who gives most of it, or is loudest where it is taken.")},
        [bus](const Session& now, AudioStore& store, double from, double to,
              const Progress& progress) {
            return wholeLines(now, busWhole(now, store, bus, from, to, progress));
        }};
}

RowReportKind rangeReportKind() {
    return {
        "range",
        QObject::tr("Who may move, and who stays even"),
        {QObject::tr("Sum"), QObject::tr("Played, LU"), QObject::tr("Comes in"),
         QObject::tr("Kept"), QObject::tr("Usually"), QObject::tr("So it is"),
         QObject::tr("Wanted")},
        {{},
         QObject::tr("How far its loudness moves (EBU Tech 3342) with every step passed by: as "
                     "it was played."),
         QObject::tr("The same with the steps of what feeds it."),
         QObject::tr("The same behind its own steps: what the mix has of it."),
         QObject::tr("For such a sum in the session’s style."),
         QObject::tr("Against what is wanted, or else against what is usual."),
         QObject::tr("“even 3”: 3 LU at most; “moves 5”: 5 LU at least; nothing: as it likes.")},
        [](const Session& now, AudioStore& store, double from, double to,
           const Progress& progress) {
            return rangeLines(now, rangeReport(now, store, from, to, progress));
        }};
}

}  // namespace ember::app
