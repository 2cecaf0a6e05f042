// The mixes that may be compared: what there is now, with steps or without, snapshots, sets of
// microphones, widths.
#pragma once

#include "app/workers/listener.h"
#include "app/workers/workspace.h"
#include "core/report/shortest_chain.h"

#include <QString>

#include <optional>
#include <string>
#include <vector>

namespace ember::app {

struct MixChoice {
    // Empty: as it is now; a snapshot's, or "set:ID", "anew:ID", "width:PERCENT",
    // "less:ROW/STAGE,…".
    QString id;
    QString name, help;
};
std::vector<MixChoice> mixChoices(const Session& session);
// What there is now without some of its steps; no one of mixChoices().
MixChoice mixWithout(const std::vector<StepAt>& steps);
// Such a mix; none: as it is now. Throws Error where it cannot be made.
std::optional<Session> mixChosen(const Workspace& workspace, const Listener& listener,
                                 const QString& id);

}  // namespace ember::app
