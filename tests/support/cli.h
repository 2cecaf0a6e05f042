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

// The short kit taken in as S.json; how a command names it.
inline std::string takenIn(const TempFolder& folder) {
    const std::string session = quoted(folder / "S.json");
    const Answer a = cli(folder, "intake " + quoted(shortRecordingFolder()) + " --out " + session);
    EXPECT_EQ(a.status, 0) << a.err;
    return session;
}

// What a command that has to succeed says.
inline std::string done(const TempFolder& folder, const std::string& command) {
    const Answer a = cli(folder, command);
    EXPECT_EQ(a.status, 0) << command << "\n" << a.err;
    return a.out;
}

}  // namespace ember::test
