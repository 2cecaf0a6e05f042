// Names of drum files as engineers write them (tests/data/names.tsv). Half of them were set aside
// before the reader was written; both scores are printed.

#include "core/measure/who/file_name.h"

#include "tests/support/accuracy.h"

#include <gtest/gtest.h>

#include <cstdlib>
#include <fstream>
#include <iostream>
#include <sstream>

namespace ember {
namespace {

struct Line {
    std::string role;
    std::vector<std::string> names;  // one, or left and right
};

// Which half a line belongs to: by its own text, so that nothing depends on the order.
bool isSealed(const std::string& line) {
    std::uint32_t hash = 2166136261U;
    for (const char c : line) hash = (hash ^ static_cast<unsigned char>(c)) * 16777619U;
    return ((hash >> 16U) & 1U) != 0;
}

std::vector<Line> linesOf(bool sealed) {
    std::ifstream in(std::string(EMBER_SOURCE_FOLDER) + "/tests/data/names.tsv");
    std::vector<Line> out;
    for (std::string line; std::getline(in, line);) {
        if (line.empty() || line.starts_with('#') || isSealed(line) != sealed) continue;
        std::istringstream fields(line);
        Line l;
        std::getline(fields, l.role, '\t');
        for (std::string name; std::getline(fields, name, '\t');) l.names.push_back(name);
        out.push_back(std::move(l));
    }
    return out;
}

bool isRight(const std::string& wanted, const NameReading& r) {
    if (wanted == "guest") return r.kind == RowKind::guest;
    return toString(r.role) == wanted;
}

struct Score {
    int names = 0, right = 0, sureWrong = 0, pairs = 0, paired = 0;
    [[nodiscard]] double rolePercent() const { return 100.0 * right / std::max(1, names); }
    [[nodiscard]] double pairPercent() const { return 100.0 * paired / std::max(1, pairs); }
    [[nodiscard]] double sureWrongPercent() const { return 100.0 * sureWrong / std::max(1, names); }
};

Score scoreOf(bool sealed) {
    Score score;
    const bool tell = !sealed && std::getenv("EMBER_TELL") != nullptr;
    for (const Line& line : linesOf(sealed)) {
        for (const std::string& name : line.names) {
            const NameReading r = readFileName(name);
            ++score.names;
            if (isRight(line.role, r)) {
                ++score.right;
            } else {
                score.sureWrong += r.sure >= kSureEnough ? 1 : 0;
                if (tell)
                    std::cout << name << ": " << line.role << " read as " << toString(r.role)
                              << "\n";
            }
        }
        if (line.names.size() != 2) continue;
        ++score.pairs;
        const bool both =
            pairOf(line.names[0], line.names[1]) == 0 && pairOf(line.names[1], line.names[0]) == 1;
        score.paired += both ? 1 : 0;
        if (tell && !both) std::cout << line.names[0] << " ~ " << line.names[1] << " not paired\n";
    }
    return score;
}

TEST(FileNames, AreReadAsEngineersWriteThem) {
    for (const bool sealed : {false, true}) {
        const Score s = scoreOf(sealed);
        const std::string half = sealed ? "sealed half" : "seen half";
        ASSERT_GE(s.names, 400);
        test::accuracy("names, " + half + ": role right", ">= 97 %", s.rolePercent(), "%",
                       s.rolePercent() >= 97.0);
        test::accuracy("names, " + half + ": left and right paired", ">= 98 %", s.pairPercent(),
                       "%", s.pairPercent() >= 98.0);
        test::accuracy("names, " + half + ": wrong though sure", "< 2 %", s.sureWrongPercent(), "%",
                       s.sureWrongPercent() < 2.0);
        std::cout << half << ": " << s.rolePercent() << " % of " << s.names << ", pairs "
                  << s.pairPercent() << " % of " << s.pairs << ", wrong though sure "
                  << s.sureWrongPercent() << " %\n";
    }
}

}  // namespace
}  // namespace ember
