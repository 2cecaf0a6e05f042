// Order statistics of a handful of numbers. Pure.
#pragma once

#include <algorithm>
#include <cstddef>
#include <vector>

namespace ember {

// The value under which `part` (0..1) of the others lie; 0 when there are none.
inline double quantile(std::vector<double> values, double part) {
    if (values.empty()) return 0.0;
    std::sort(values.begin(), values.end());
    return values[static_cast<std::size_t>(part * static_cast<double>(values.size() - 1))];
}

// The upper of the two middle ones where their number is even; 0 when there are none.
inline double median(std::vector<double> values) {
    if (values.empty()) return 0.0;
    const auto middle = values.begin() + static_cast<std::ptrdiff_t>(values.size() / 2);
    std::nth_element(values.begin(), middle, values.end());
    return *middle;
}

}  // namespace ember
