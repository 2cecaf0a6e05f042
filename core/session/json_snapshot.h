// Snapshots as JSON values, and back.
#pragma once

#include "core/session/session.h"

#include <nlohmann/json.hpp>

namespace ember {

nlohmann::ordered_json toJson(const Snapshot& snapshot);
// Throws Error naming the place ("session.snapshots[2]") and the remedy.
Snapshot snapshotFromJson(const nlohmann::ordered_json& json, const std::string& place);

}  // namespace ember
