// One bell more in a row's equaliser.
#pragma once

#include "core/session/session.h"

#include <string>
#include <string_view>

namespace ember {

struct BellAdded {
    Session session;
    std::string stage;  // the equaliser that has it
};
// In the row's "eq" where a band of that is free, else in the last equaliser that has one, else in
// a new one. The band keeps `why` where its words have room for it. Throws Error for unknown rows
// and values out of range. Pure.
BellAdded withBell(Session session, std::string_view row, double hertz, double gainDb, double q,
                   const std::string& why);

}  // namespace ember
