// The table of ./run accuracy: tests that measure against a goal report what they measured.
#pragma once

#include <string>

namespace ember::test {

// One row; `holds` is the test's own verdict. Rows of the same name keep the worst (largest) value.
void accuracy(const std::string& what, const std::string& goal, double measured,
              const std::string& unit, bool holds);

// Whether the table is asked for: then more kits are measured than in the tests.
bool allKits();

}  // namespace ember::test
