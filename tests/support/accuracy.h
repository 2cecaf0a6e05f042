// The table of ./run accuracy: tests that measure against a goal report what they measured.
#pragma once

#include <string>

namespace ember::test {

// One row; `holds` is the test's own verdict. Rows of the same name keep the worst value: the
// least where the goal begins with >, else the largest.
void accuracy(const std::string& what, const std::string& goal, double measured,
              const std::string& unit, bool holds);

// Whether all kits are to be measured, not only the tests' few: EMBER_ACCURACY is set, and not to
// "short".
bool allKits();

}  // namespace ember::test
