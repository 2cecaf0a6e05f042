// Reports on how strokes come out of the mix: their words and tables.

#include "app/board/row_report_dialog.h"
#include "app/widgets/words.h"
#include "app/workers/listener.h"
#include "core/base/units.h"
#include "core/report/drive_test.h"
#include "core/report/headroom.h"
#include "core/report/low_end.h"
#include "core/report/one_room.h"
#include "core/report/punch_guard.h"
#include "core/report/through_music.h"

#include <algorithm>

namespace ember::app {
namespace {

constexpr double kFrontTold = 0.05;  // dB of a front that are worth a word

RowReport roomLines(const Session& session, const OneRoom& found) {
    QStringList said = sentences(oneRoomText(session, found));
    RowReport out;
    const QString nothing = QStringLiteral("–");
    for (const DrumRoom& one : found.drums)
        out.lines.push_back({QString::fromStdString(drumName(session, one.drum)),
                             one.space.empty() ? nothing : rowName(session, one.space),
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
             [remedy](Session now) { return withRemedy(std::move(now), remedy); },
             text.toStdString()});
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
             hidden ? QObject::tr("%1, %2").arg(rowName(session, d.behind),
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
             },
             QObject::tr("Of %1 strokes of %2 %3 come through; that much more would do.")
                 .arg(QString::number(d.strokes), name,
                      QObject::tr("%1 %").arg(figure(100.0 * d.heard, 0)))
                 .toStdString()});
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
    out.lines.push_back({rowName(session, plan.kick), reading(plan.kickDb), reading(target->db)});
    if (plan.pairDb > kSilenceDb) {
        out.lines.push_back({QObject::tr("All kicks"), peak(plan.kicksDb), QStringLiteral("–")});
        out.lines.push_back({QObject::tr("Kicks with bass"), peak(plan.pairDb),
                             QObject::tr("about %1 over them").arg(figure(kPairOverDb, 0))});
    }
    if (!plan.bus.empty())
        out.lines.push_back({rowName(session, plan.bus), peak(plan.drumsDb), QStringLiteral("–")});
    out.lines.push_back({QObject::tr("Everything"), peak(plan.mainDb),
                         QObject::tr("under %1 dBFS").arg(figure(kMainRoomDb, 0))});
    if (plan.trimDb == 0.0) return out;
    out.remedies.push_back(
        {"headroom-trim", QObject::tr("Trim all by %1").arg(decibels(plan.trimDb)),
         QObject::tr("Moves the fader of every element and guest by that, and what is sent before "
                     "it; the balance stays, undo takes it back."),
         [db = plan.trimDb](Session now) { return withTrim(std::move(now), db); },
         said.join(QLatin1Char(' ')).toStdString()});
    return out;
}

RowReport driveLines(const Session& session, const DriveTest& test) {
    RowReport out;
    out.sentence = sentences(test.sentences).join(QLatin1Char('\n'));
    const QString nothing = QStringLiteral("–");
    for (const DriveStep& step : test.steps) {
        const auto most = std::max_element(step.shares.begin(), step.shares.end());
        const auto front = std::max_element(step.frontsDb.begin(), step.frontsDb.end());
        const bool over = most != step.shares.end() && *most > 0.0;
        const bool loses = front != step.frontsDb.end() && *front >= kFrontTold;
        out.lines.push_back(
            {decibels(step.driveDb), over ? decibels(step.overDb) : nothing,
             over ? QObject::tr("%1, %2 %")
                        .arg(rowName(
                                 session,
                                 test.rows[static_cast<std::size_t>(most - step.shares.begin())]),
                             figure(100.0 * *most, 0))
                  : nothing,
             loses ? QObject::tr("%1, %2 dB")
                         .arg(QString::fromStdString(
                                  drumName(session, test.drums[static_cast<std::size_t>(
                                                        front - step.frontsDb.begin())])),
                              figure(*front))
                   : nothing});
        if (test.breaksDb && step.driveDb <= *test.breaksDb) out.line = out.lines.size() - 1;
    }
    if (!test.offer) return out;
    const std::string reason = driveOfferText(session, test);
    out.remedies.push_back(
        {"drive-lower",
         QObject::tr("%1 by %2").arg(rowName(session, test.first), decibels(-test.offer->lowerDb)),
         QObject::tr(
             "Lowers its fader, and what is sent before it; the test is made anew then, and "
             "undo takes it back."),
         [test](Session now) { return withDriveOffer(std::move(now), test); }, reason});
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
            QObject::tr("What %1 does to the punch").arg(rowName(session, bus)),
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

RowReportKind driveReport(std::shared_ptr<const KitMeasurement> heard) {
    constexpr double kDim = 12.0;  // dB: what sticks out is heard best softly
    return {"drive",
            QObject::tr("The mix, pushed until it breaks"),
            {QObject::tr("Pushed by"), QObject::tr("Goes over"), QObject::tr("Most of that by"),
             QObject::tr("Fronts lose most")},
            {QObject::tr("The finished mix, against a ceiling of %1 dBFS that cuts off.")
                 .arg(figure(kDriveCeilingDb, 0)),
             QObject::tr("What is cut off, against the mix; it breaks at %1 dB.")
                 .arg(figure(kDriveBreaksDb, 0)),
             QObject::tr("Who pushes over the ceiling, and its share."),
             QObject::tr("Whose strokes lose most of their first 20 ms, usually.")},
            onStrokes(std::move(heard), driveTest, driveLines),
            ReportHearing{
                QObject::tr("Hear it pushed"),
                QObject::tr("Plays the mix pushed as the chosen line says, turned down by as much "
                            "and dimmed; Up and Down push more or less."),
                [](const Session& now, std::size_t line) {
                    const auto drive = static_cast<double>(line);
                    return ReportSound{withMixPushed(now, drive), -drive};
                },
                kDim}};
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
