// The mixes that may be compared: what there is now, snapshots, sets of microphones, widths.
#pragma once

#include "app/workers/listener.h"
#include "app/workers/workspace.h"

#include <QString>

#include <optional>
#include <string>
#include <vector>

namespace ember::app {

struct MixChoice {
    QString id;  // empty: as it is now; a snapshot's, or "set:ID", "anew:ID", "width:PERCENT"
    QString name, help;
};
std::vector<MixChoice> mixChoices(const Session& session);
// Such a mix; none: as it is now. Throws Error where it cannot be made.
std::optional<Session> mixChosen(const Workspace& workspace, const Listener& listener,
                                 const QString& id);

}  // namespace ember::app
