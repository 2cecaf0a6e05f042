// Reading proposals in tests.
#pragma once

#include "core/advise/proposal.h"
#include "core/base/error.h"

#include <algorithm>
#include <string>
#include <vector>

namespace ember::test {

// By id; null when there is none.
inline const Proposal* find(const std::vector<Proposal>& all, const std::string& id) {
    const auto at =
        std::find_if(all.begin(), all.end(), [&](const Proposal& p) { return p.id == id; });
    return at == all.end() ? nullptr : &*at;
}

// What it moves a parameter to; throws Error when it does not.
inline double valueOf(const Proposal& p, const std::string& parameter) {
    for (const ParameterMove& m : p.moves) {
        if (m.parameter == parameter) return m.value;
    }
    throw Error("no " + parameter);
}

}  // namespace ember::test
