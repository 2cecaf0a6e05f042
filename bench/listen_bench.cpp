// How long listening to a kit takes against just decoding and loudness-metering the same files.

#include "core/advise/intake.h"
#include "core/advise/proposal.h"
#include "core/engine/trace_cache.h"
#include "core/measure/kit/kit_measure.h"
#include "core/measure/level/loudness.h"
#include "core/measure/separate/kept_models.h"
#include "demo/kit.h"

#include <sys/resource.h>
#include <sys/wait.h>
#include <unistd.h>

#include <algorithm>
#include <array>
#include <chrono>
#include <cstdio>
#include <cstdlib>
#include <filesystem>
#include <vector>

int main() {
    using namespace ember;
    namespace fs = std::filesystem;
    using Clock = std::chrono::steady_clock;
    const auto seconds = [](Clock::time_point from) {
        return std::chrono::duration<double>(Clock::now() - from).count();
    };
    const char* wanted = std::getenv("EMBER_LISTEN_SECONDS");
    demo::KitOptions options;
    options.seconds = wanted != nullptr ? std::atof(wanted) : 240.0;
    options.guests = false;
    const fs::path folder = fs::temp_directory_path() / "ember-listen-bench";
    fs::remove_all(folder);
    // In a process of its own: what simulating takes is no part of the memory that is told below.
    if (const pid_t child = fork(); child == 0) {
        demo::writeRecording(demo::record(options), folder / "kit");
        _exit(0);
    } else {
        int status = 0;
        if (child < 0 || waitpid(child, &status, 0) != child || status != 0) return 1;
    }
    std::vector<fs::path> files;
    for (const auto& entry : fs::directory_iterator(folder / "kit")) files.push_back(entry.path());
    // Sixteen microphones, or as many as are wanted: some drums have more than one, as far as time
    // is concerned.
    const char* many = std::getenv("EMBER_LISTEN_FILES");
    const auto audio = static_cast<std::size_t>(
        std::count_if(files.begin(), files.end(),
                      [](const fs::path& file) { return file.extension() == ".wav"; }));
    const std::size_t most = many != nullptr ? std::strtoul(many, nullptr, 10) : 16;
    constexpr std::array names{"Kick Out", "Snare Top", "Rack Tom", "Floor Tom", "Room"};
    for (std::size_t n = 0; audio + n < most; ++n) {
        const std::string name = names[n % names.size()];
        const fs::path more =
            folder / "kit" / (name + " " + std::to_string(2 + n / names.size()) + ".wav");
        fs::copy_file(folder / "kit" / (name + ".wav"), more);
        files.push_back(more);
    }

    auto start = Clock::now();
    int count = 0;
    for (const fs::path& file : files) {
        if (file.extension() != ".wav") continue;
        measureLoudness(file);
        ++count;
    }
    const double metering = seconds(start);

    AudioStore store(folder / "cache");
    start = Clock::now();
    const Session session = sessionFrom(takeIn({folder / "kit"}, store, options.tempo), store);
    const double intake = seconds(start);
    start = Clock::now();
    const KitMeasurement first = measureKit(session, store);
    const double listening = seconds(start);
    start = Clock::now();
    const bool same = measureKit(session, store) == first;
    const double again = seconds(start);
    // Ways is given anew with every edit, on the window's thread.
    start = Clock::now();
    std::size_t proposals = advise(session, first).size();
    const double advice = seconds(start);
    constexpr int kTimes = 20;
    start = Clock::now();
    for (int n = 0; n < kTimes; ++n) proposals = advise(session, first).size();
    const double adviceAgain = seconds(start) / kTimes;
    std::printf("%zu proposals: %.2f of a frame at 50 a second the first time, %.2f again\n",
                proposals, advice / 0.02, adviceAgain / 0.02);
    std::printf(
        "%d files of %.0f s: intake and listening / decoding and loudness alone: %.1f (goal: under "
        "12)\n%zu strokes; a second time / the first: %.4f%s\n",
        count, options.seconds, (intake + listening) / metering, first.strokes.strokes.size(),
        again / listening, same ? "" : ", AND NOT THE SAME");
    // Every picture on the Board: measured at first, out of the cache when it is opened again.
    std::vector<std::string> rows;
    for (const Row& row : session.rows) rows.push_back(row.id);
    start = Clock::now();
    cachedTrace(session, store, rows);
    const double pictures = seconds(start);
    AudioStore later(folder / "cache");
    start = Clock::now();
    const std::size_t known = knownTraces(session, later, rows).size();
    const double picturesAgain = seconds(start);
    std::printf(
        "pictures of %zu rows: opened again / the first time: %.4f; in frames at 50 a second: %.1f "
        "a row%s\n",
        rows.size(), picturesAgain / pictures,
        picturesAgain / static_cast<double>(rows.size()) / 0.02,
        known == rows.size() ? "" : ", AND SOME ARE MISSING");
    // Taken apart into its drums, for bleed: what it adds once its strokes are known.
    start = Clock::now();
    const std::string model = takeApart(session, store);
    const double apart = seconds(start);
    start = Clock::now();
    const bool kept = takeApart(session, store) == model;
    const double apartAgain = seconds(start);
    rusage usage{};
    getrusage(RUSAGE_SELF, &usage);
    std::printf(
        "taken apart / decoding and loudness alone: %.1f (goal: under 30); again / the first time: "
        "%.4f; most memory so far: %.2f GB (goal: under 2)%s\n",
        apart / metering, apartAgain / apart, static_cast<double>(usage.ru_maxrss) / 1048576.0,
        kept ? "" : ", AND NOT THE SAME");
    fs::remove_all(folder);
    return kept && same && known == rows.size() ? 0 : 1;
}
