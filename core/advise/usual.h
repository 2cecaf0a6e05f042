// Where a setting usually lies, by drum and style: what stands beside a proposed value so that one
// sees whether it is ordinary. Ranges of common practice, no measurement.
#pragma once

#include "core/advise/proposal.h"

#include <string>
#include <string_view>
#include <vector>

namespace ember {

struct UsualRange {
    std::string parameter;  // id in the processor's table
    double low = 0.0, high = 0.0;
    Style style = Style::any;  // any: in every one that has no custom of its own
    bool operator==(const UsualRange&) const = default;
};

// Usual ranges of a processor on a row of this role in this style, one a parameter; empty where
// there is no custom. Pure.
std::vector<UsualRange> usualRanges(Role role, std::string_view type, Style style);

// The same for what a proposal moves, in words behind the proposed value: "attack 47.0 ms, usually
// 5.00 ms to 30.0 ms in rock". One entry a move that has a range.
std::vector<std::string> usualBeside(const Session& session, const Proposal& proposal);

}  // namespace ember
