#include "app/compare/mix_choice.h"

#include "core/advise/mic_set.h"
#include "core/base/error.h"
#include "core/session/routing.h"
#include "core/session/snapshot.h"

#include <QObject>

#include <array>

namespace ember::app {
namespace {

// Beside the ids of snapshots, which hold no colon.
const QString kAsItIs = QStringLiteral("set:"), kAnew = QStringLiteral("anew:"),
              kWide = QStringLiteral("width:"), kLess = QStringLiteral("less:");
// From mono to twice as wide as it was recorded, %.
constexpr std::array kWidths{0, 50, 100, 150};

}  // namespace

std::vector<MixChoice> mixChoices(const Session& session) {
    std::vector<MixChoice> out{{{}, QObject::tr("As it is now"), {}}};
    for (const Snapshot& s : session.snapshots)
        out.push_back({QString::fromStdString(s.id), QString::fromStdString(s.name), {}});
    const std::vector<MicSet> sets = micSets(session);
    for (const bool anew : {false, true}) {
        for (const MicSet& set : sets) {
            const QString name = QString::fromStdString(set.name);
            out.push_back({(anew ? kAnew : kAsItIs) + QString::fromStdString(set.id),
                           anew ? QObject::tr("Set: %1, planned anew").arg(name)
                                : QObject::tr("Set: %1").arg(name),
                           {}});
        }
    }
    for (const int percent : kWidths)
        out.push_back({kWide + QString::number(percent), QObject::tr("Width %1 %").arg(percent),
                       QObject::tr("Overheads, rooms and layers at %1 % of their width, 0 % "
                                   "being mono.")
                           .arg(percent)});
    return out;
}

MixChoice mixWithout(const std::vector<StepAt>& steps) {
    QStringList named;
    for (const StepAt& step : steps) named << QString::fromStdString(step.row + '/' + step.stage);
    return {kLess + named.join(QLatin1Char(',')),
            steps.size() == 1 ? QObject::tr("Without one step")
                              : QObject::tr("Without %1 steps").arg(steps.size()),
            QObject::tr("What there is now, without what could go.")};
}

std::optional<Session> mixChosen(const Workspace& workspace, const Listener& listener,
                                 const QString& id) {
    if (id.isEmpty()) return {};
    for (const bool anew : {false, true}) {
        const QString prefix = anew ? kAnew : kAsItIs;
        if (!id.startsWith(prefix)) continue;
        const auto measured = listener.measured();
        if (anew && measured == nullptr)
            throw Error("The kit is listened to first; what is planned rests on that.");
        return withMicSet(workspace.session(), id.mid(prefix.size()).toStdString(),
                          anew ? measured.get() : nullptr);
    }
    if (id.startsWith(kWide))
        return withWidth(workspace.session(), id.mid(kWide.size()).toDouble());
    if (id.startsWith(kLess)) {
        std::vector<StepAt> steps;
        for (const QString& step : id.mid(kLess.size()).split(QLatin1Char(','))) {
            const qsizetype at = step.indexOf(QLatin1Char('/'));
            steps.push_back({step.left(at).toStdString(), step.mid(at + 1).toStdString()});
        }
        return withStepsOff(workspace.session(), steps);
    }
    return withSnapshotUsed(workspace.session(), id.toStdString());
}

}  // namespace ember::app
