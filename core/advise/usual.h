// Where a setting usually lies, by drum: what stands beside a proposed value so that one sees
// whether it is ordinary. Ranges of common practice, no measurement.
#pragma once

#include "core/advise/proposal.h"

#include <string>
#include <string_view>
#include <vector>

namespace ember {

struct UsualRange {
    std::string parameter;  // id in the processor's table
    double low = 0.0, high = 0.0;
    bool operator==(const UsualRange&) const = default;
};

// Usual ranges of a processor on a row of this role; empty where there is no custom. Pure.
std::vector<UsualRange> usualRanges(Role role, std::string_view type);

// The same for what a proposal moves, in words behind the proposed value: "attack 47.0 ms, usually
// 5.00 ms to 30.0 ms". One entry a move that has a range.
std::vector<std::string> usualBeside(const Session& session, const Proposal& proposal);

}  // namespace ember
