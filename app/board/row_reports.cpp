// The reports there are on a row: their words and tables.

#include "app/board/row_report_dialog.h"
#include "app/widgets/figures.h"
#include "app/workers/listener.h"
#include "core/advise/proposal.h"
#include "core/base/number.h"
#include "core/base/units.h"
#include "core/dsp/align.h"
#include "core/report/adds_up.h"
#include "core/report/bus_check.h"
#include "core/report/bus_whole.h"
#include "core/report/headroom.h"
#include "core/report/low_end.h"
#include "core/report/one_room.h"
#include "core/report/punch_guard.h"
#include "core/report/range_report.h"
#include "core/report/through_music.h"
#include "core/session/range.h"

namespace ember::app {
namespace {

QString nameOf(const Session& session, const std::string& id) {
    const Row* row = findRow(session, id);
    return QString::fromStdString(row != nullptr ? row->name : id);
}

QStringList sentences(const std::vector<std::string>& texts) {
    QStringList out;
    for (const std::string& text : texts) out << QString::fromStdString(text);
    return out;
}

QString decibels(double db) {
    return QObject::tr("%1 dB").arg(change(db));
}

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
         }});
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
            {nameOf(session, m.row),
             m.heard.sounds ? QObject::tr("%1 %").arg(figure(100.0 * m.heard.share, 0))
                            : QObject::tr("silent"),
             m.heard.sounds ? decibels(m.heard.overDb) : nothing,
             hidden
                 ? QObject::tr("%1, %2 Hz").arg(nameOf(session, m.maskedBy), figure(m.maskedHz, 0))
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
         QObject::tr("%1, %2").arg(nameOf(session, whole.highsRow), percent(whole.highsShare))});
    for (const RoomLeft& room : whole.room)
        out.lines.push_back({QObject::tr("Free: %1").arg(QString::fromStdString(room.name)),
                             percent(room.left), QObject::tr("%1 or more").arg(percent(room.usual)),
                             room.row.empty() ? QStringLiteral("–")
                                              : QObject::tr("%1, %2").arg(nameOf(session, room.row),
                                                                          percent(room.rowShare))});
    for (const GuestHeard& guest : whole.guests)
        out.lines.push_back(
            {QObject::tr("%1 is heard").arg(nameOf(session, guest.row)), percent(guest.heard),
             QObject::tr("%1 or more").arg(percent(kHeardEnough)),
             guest.behind.empty()
                 ? QStringLiteral("–")
                 : QObject::tr("%1, %2").arg(nameOf(session, guest.behind),
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
            {nameOf(session, sum.row), units(sum.played), units(sum.fed), units(sum.kept),
             QObject::tr("%1 to %2").arg(figure(usual.low, 0), figure(usual.high, 0)), verdict,
             budget != nullptr ? QString::fromStdString(rangeBudgetText(*budget)) : QString()});
    }
    out.again = [sums](const Session& now) { return rangeLines(now, sums); };
    out.typed = [sums](Session now, std::size_t line, const std::string& text) {
        return withRangeTyped(std::move(now), sums.at(line).row, text);
    };
    return out;
}

RowReport roomLines(const Session& session, const OneRoom& found) {
    QStringList said = sentences(oneRoomText(session, found));
    RowReport out;
    const QString nothing = QStringLiteral("–");
    for (const DrumRoom& one : found.drums)
        out.lines.push_back({QString::fromStdString(drumName(session, one.drum)),
                             one.space.empty() ? nothing : nameOf(session, one.space),
                             one.space.empty() ? nothing : decibels(one.wetDb),
                             decibels(one.clarityDb),
                             one.apart ? QObject::tr("apart") : QObject::tr("with the rest")});
    for (const RoomRemedy& remedy : found.remedies) {
        const bool shared = remedy.kind == RoomRemedy::Kind::share;
        const QString text = QString::fromStdString(roomRemedyText(session, remedy));
        said << text;
        out.remedies.push_back(
            {shared ? "room-share" : "room-dry",
             shared ? QObject::tr("Share the space") : QObject::tr("Dry what is wet"),
             QObject::tr("%1 Undo takes it back.").arg(text),
             [remedy](Session now) { return withRemedy(std::move(now), remedy); }});
    }
    out.sentence = said.join(QLatin1Char('\n'));
    return out;
}

RowReport throughLines(const Session& session, const ThroughMusic& found) {
    RowReport out;
    out.sentence = sentences(throughText(session, found)).join(QLatin1Char('\n'));
    const QString nothing = QStringLiteral("–");
    for (const DrumThrough& d : found.drums) {
        const QString name = QString::fromStdString(drumName(session, d.drum));
        const bool hidden = !d.behind.empty() && d.heard < 1.0;
        out.lines.push_back(
            {name, QString::number(d.strokes), QObject::tr("%1 %").arg(figure(100.0 * d.heard, 0)),
             decibels(d.overDb), decibels(d.lowDb),
             hidden ? QObject::tr("%1, %2").arg(nameOf(session, d.behind),
                                                QString::fromStdString(hertzText(d.hertz)))
                    : nothing,
             QString::fromStdString(throughFaultText(d.fault))});
        if (d.fault != ThroughFault::level) continue;
        out.remedies.push_back(
            {QString::fromStdString("through-" + d.drum),
             QObject::tr("%1 by %2").arg(name, decibels(d.raiseDb)),
             QObject::tr("Raises the faders of what stands at it, and what is sent before them; "
                         "undo takes it back."),
             [drum = d.drum, db = d.raiseDb](Session now) {
                 return withDrumRaised(std::move(now), drum, db);
             }});
    }
    return out;
}

RowReport headroomLines(const Session& session, const HeadroomPlan& plan) {
    RowReport out;
    const QStringList said = sentences(headroomText(session, plan));
    out.sentence = said.join(QLatin1Char(' '));
    const auto peak = [](double db) { return QObject::tr("%1 dBFS").arg(figure(db)); };
    const LevelTarget* target = targetFor(session, *findRow(session, plan.kick));
    const auto reading = [&](double db) {
        return target->peak ? peak(db) : QObject::tr("%1 LUFS").arg(figure(db));
    };
    out.lines.push_back({nameOf(session, plan.kick), reading(plan.kickDb), reading(target->db)});
    if (plan.pairDb > kSilenceDb) {
        out.lines.push_back({QObject::tr("All kicks"), peak(plan.kicksDb), QStringLiteral("–")});
        out.lines.push_back({QObject::tr("Kicks with bass"), peak(plan.pairDb),
                             QObject::tr("about %1 over them").arg(figure(kPairOverDb, 0))});
    }
    if (!plan.bus.empty())
        out.lines.push_back({nameOf(session, plan.bus), peak(plan.drumsDb), QStringLiteral("–")});
    out.lines.push_back({QObject::tr("Everything"), peak(plan.mainDb),
                         QObject::tr("under %1 dBFS").arg(figure(kMainRoomDb, 0))});
    if (plan.trimDb == 0.0) return out;
    out.remedies.push_back(
        {"headroom-trim", QObject::tr("Trim all by %1").arg(decibels(plan.trimDb)),
         QObject::tr("Moves the fader of every element and guest by that, and what is sent before "
                     "it; the balance stays, undo takes it back."),
         [db = plan.trimDb](Session now) { return withTrim(std::move(now), db); }});
    return out;
}

RowReport punchLines(const Session& session, const PunchGuard& found) {
    RowReport out;
    QStringList words;
    for (const std::string& text : punchGuardText(session, found))
        words << QString::fromStdString(text);
    out.sentence = words.join(' ');
    const Row& bus = *findRow(session, found.bus);
    for (const GuardedDrum& d : found.drums) {
        const Stage* stage = d.stage.empty() ? nullptr : findStage(bus, d.stage);
        out.lines.push_back(
            {QString::fromStdString(drumName(session, d.drum)), QString::number(d.strokes),
             decibels(d.before), decibels(d.after), change(d.after - d.before) + " dB",
             change(d.crestAfter - d.crestBefore) + " dB",
             stage != nullptr ? QObject::tr("%1, %2 dB")
                                    .arg(QString::fromStdString(processorType(stage->type).label),
                                         change(d.givesBack))
                              : QStringLiteral("–")});
    }
    return out;
}

// A report on strokes: those of the session, or those that were heard where it has none.
template <typename Measure, typename Tell>
auto onStrokes(std::shared_ptr<const KitMeasurement> heard, Measure measure, Tell tell) {
    return [heard = std::move(heard), measure, tell](const Session& now, AudioStore& store,
                                                     double from, double to,
                                                     const Progress& progress) {
        const Session struck = struckAs(now, heard);
        return tell(struck, measure(struck, store, from, to, progress));
    };
}

}  // namespace

RowReportKind addsUpReport(const Session& session, const std::string& row) {
    return {"adds-up",
            QObject::tr("How %1 adds up with what stands beside it").arg(nameOf(session, row)),
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
        QObject::tr("Who is heard in %1").arg(nameOf(session, bus)),
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
        QObject::tr("%1 as a whole").arg(nameOf(session, bus)),
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

RowReportKind oneRoomReport(std::shared_ptr<const KitMeasurement> heard) {
    return {"one-room",
            QObject::tr("Do the drums stand in one room?"),
            {QObject::tr("Drum"), QObject::tr("Most from"), QObject::tr("Comes back"),
             QObject::tr("Clarity"), QObject::tr("Stands")},
            {{},
             QObject::tr("The bus that gives back most of it."),
             QObject::tr("What the buses with a reverb or a delay give back of its strokes, "
                         "against themselves."),
             QObject::tr("The first 80 ms of its strokes against what comes later, both with what "
                         "comes back: its own decay counts too."),
             QObject::tr("Apart: more than 6 dB from the drums’ usual amount.")},
            onStrokes(std::move(heard), oneRoom, roomLines)};
}

RowReportKind throughReport(std::shared_ptr<const KitMeasurement> heard) {
    return {"through",
            QObject::tr("How the drums come through"),
            {QObject::tr("Drum"), QObject::tr("Strokes"), QObject::tr("Come through"),
             QObject::tr("Over the rest"), QObject::tr("Weakest tenth"), QObject::tr("Hidden by"),
             QObject::tr("At fault")},
            {{},
             QObject::tr("Looked at, ghost notes left out."),
             QObject::tr("Of them: what the stroke adds to the whole mix, guests too, lies over "
                         "what is hidden by all that sounds just before it."),
             QObject::tr("How far its clearest band lies over that, usually."),
             QObject::tr("The same of those that come through least."),
             QObject::tr("Who is loudest where strokes are hidden, and around which frequency."),
             QObject::tr("Level: some decibels more would do. Tone: what it has lies where others "
                         "are. Struck together: others strike at the same moments, louder.")},
            onStrokes(std::move(heard), throughMusic, throughLines)};
}

RowReportKind punchReport(const Session& session, std::shared_ptr<const KitMeasurement> heard,
                          const std::string& bus) {
    return {"punch-guard",
            QObject::tr("What %1 does to the punch").arg(nameOf(session, bus)),
            {QObject::tr("Drum"), QObject::tr("Strokes"), QObject::tr("Without its steps"),
             QObject::tr("With them"), QObject::tr("Difference"), QObject::tr("Crest"),
             QObject::tr("Most by")},
            {{},
             QObject::tr("Looked at, ghost notes left out."),
             QObject::tr("Attack against body in the sum while the bus’s own steps are off: the "
                         "first 30 ms of a stroke against the rest of 300 ms, usually."),
             QObject::tr("The same with them."),
             QObject::tr("From a decibel less on punch is lost."),
             QObject::tr("How the peak over those 300 ms changes."),
             QObject::tr("The step whose absence gives back most of what is lost, and how much.")},
            onStrokes(
                std::move(heard),
                [bus](const Session& now, AudioStore& store, double from, double to,
                      const Progress& progress) {
                    return punchGuard(now, store, bus, from, to, progress);
                },
                punchLines)};
}

RowReportKind headroomReport(std::shared_ptr<const KitMeasurement> heard) {
    return {"headroom",
            QObject::tr("How much room the levels leave"),
            {QObject::tr("What"), QObject::tr("Peaks at"), QObject::tr("Aim")},
            {{},
             QObject::tr("The kick and the pair: their loudest strokes at the faders. Bus and "
                         "everything: the largest sample behind their own chains."),
             QObject::tr("The kick’s target is the one of its level; the others are what people "
                         "mostly leave.")},
            onStrokes(std::move(heard), headroomPlan, headroomLines)};
}

}  // namespace ember::app
