// The reports there are on a row: their words and tables.

#include "app/board/row_report_dialog.h"
#include "app/widgets/figures.h"
#include "core/report/adds_up.h"
#include "core/report/bus_check.h"

namespace ember::app {
namespace {

QString nameOf(const Session& session, const std::string& id) {
    const Row* row = findRow(session, id);
    return QString::fromStdString(row != nullptr ? row->name : id);
}

QString decibels(double db) {
    return QObject::tr("%1 dB").arg(change(db));
}

RowReport addsUpLines(const Session& session, const std::string& row, const AddsUp& found) {
    RowReport out{QString::fromStdString(addsUpText(session, row, found)), {}};
    for (const AddedBand& b : found.bands)
        out.lines.push_back({QObject::tr("%1 to %2 Hz").arg(figure(b.low, 0), figure(b.high, 0)),
                             decibels(b.aloneDb), decibels(b.sumDb), decibels(b.flippedDb)});
    return out;
}

RowReport busLines(const Session& session, const BusCheck& check) {
    RowReport out;
    QStringList said;
    for (const std::string& text : busCheckText(session, check))
        said << QString::fromStdString(text);
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

}  // namespace ember::app
