// Reasons of an edit that changes several places.
#pragma once

#include "core/session/diff.h"
#include "core/session/document.h"

#include <string>
#include <vector>

namespace ember {

// One reason for every place that differs between two sessions. Pure.
inline std::vector<Why> whyOfAll(const Session& before, const Session& after,
                                 const std::string& reason) {
    std::vector<Why> out;
    for (const Difference& change : diff(before, after).changes)
        out.push_back({change.row, change.stage, reason});
    return out;
}

}  // namespace ember
