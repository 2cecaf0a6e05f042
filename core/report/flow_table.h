// Who feeds whom, as a table: rows down, buses across.
#pragma once

#include "core/session/session.h"

#include <string>
#include <vector>

namespace ember {

struct FlowCell {
    // nothing: could be sent there; itself: the bus itself; output: what the row feeds; send: sent
    // there; round: the sound would come round to itself.
    enum class Kind { nothing, itself, output, send, round };
    Kind kind = Kind::nothing;
    double levelDb = 0.0;  // of the fader, or of the send
    Send send;             // where it is one
};

struct FlowTable {
    std::vector<std::string> rows;             // all but references and the main, as on the Board
    std::vector<std::string> buses;            // and the main, last
    std::vector<std::vector<FlowCell>> cells;  // by row, then by bus
};

// Pure.
FlowTable flowTable(const Session& session);

}  // namespace ember
