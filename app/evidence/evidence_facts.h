// What was measured for a row, in the words of the column that is looked at.
#pragma once

#include "core/engine/trace.h"
#include "core/measure/kit/kit_measure.h"
#include "core/session/session.h"

#include <QStringList>

#include <optional>

namespace ember::app {

// One fact a line; `measured` and `trace` may be null while nothing is known. Pure.
QStringList evidenceFacts(const Session& session, const KitMeasurement* measured,
                          const RowTrace* trace, const Row& row, std::optional<Column> column);

}  // namespace ember::app
