// The command line as a stranger runs it.
#pragma once

#include "tests/support/support.h"

#include <array>
#include <cstdio>
#include <filesystem>
#include <string>

namespace ember::test {

struct Answer {
    int status = -1;
    std::string out, err;
};

inline Answer cli(const TempFolder& folder, const std::string& arguments) {
    const std::filesystem::path err = folder / "stderr.txt";
    const std::string command = "EMBER_CASK_CACHE='" + sharedStore().folder().string() + "' '" +
                                EMBER_CLI + "' " + arguments + " 2>'" + err.string() + "'";
    Answer a;
    FILE* pipe = popen(command.c_str(), "r");
    std::array<char, 4096> piece{};
    while (const std::size_t got = std::fread(piece.data(), 1, piece.size(), pipe))
        a.out.append(piece.data(), got);
    a.status = WEXITSTATUS(pclose(pipe));
    a.err = readText(err);
    return a;
}

inline std::string quoted(const std::filesystem::path& path) {
    return "'" + path.string() + "'";
}

}  // namespace ember::test
