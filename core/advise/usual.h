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

// The same for what a proposal moves, in words with the proposed value: "attack usually 10 to 30
// ms, here 47 ms". One entry a move that has a range.
std::vector<std::string> usualBeside(const Session& session, const Proposal& proposal);

}  // namespace ember
