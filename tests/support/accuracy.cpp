#include "tests/support/accuracy.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <cstdio>
#include <cstdlib>
#include <vector>

namespace ember::test {
namespace {

struct Line {
    std::string what, goal, unit;
    double measured = 0.0;
    bool holds = true;
};

std::vector<Line>& lines() {
    static std::vector<Line> all;
    return all;
}

bool asked() {
    return std::getenv("EMBER_ACCURACY") != nullptr;
}

// Prints the table after the last test when EMBER_ACCURACY is set.
class Table : public testing::Environment {
  public:
    void TearDown() override {
        if (!asked()) return;
        int missed = 0;
        std::printf("%-66s %-14s %14s\n", "what", "goal", "measured");
        for (const Line& l : lines()) {
            std::printf("%-66s %-14s %11.4g %-3s%s\n", l.what.c_str(), l.goal.c_str(), l.measured,
                        l.unit.c_str(), l.holds ? "" : "  MISSED");
            missed += l.holds ? 0 : 1;
        }
        std::printf("%zu rows, %d missed\n", lines().size(), missed);
    }
};

const auto* const kTable = testing::AddGlobalTestEnvironment(new Table);

}  // namespace

void accuracy(const std::string& what, const std::string& goal, double measured,
              const std::string& unit, bool holds) {
    (void)kTable;
    for (Line& l : lines()) {
        if (l.what != what) continue;
        // The worst: the least of what should be much.
        l.measured =
            goal.starts_with('>') ? std::min(l.measured, measured) : std::max(l.measured, measured);
        l.holds = l.holds && holds;
        return;
    }
    lines().push_back({what, goal, unit, measured, holds});
}

bool allKits() {
    return asked() && std::string_view(std::getenv("EMBER_ACCURACY")) != "short";
}

}  // namespace ember::test
