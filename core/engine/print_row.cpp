#include "core/engine/print_row.h"

#include "core/audio/file.h"
#include "core/audio/pitch_shift.h"
#include "core/base/error.h"
#include "core/base/hash.h"
#include "core/engine/plan.h"
#include "core/session/file.h"
#include "core/session/graph.h"
#include "core/session/recipe.h"

#include <algorithm>
#include <cmath>
#include <fstream>
#include <set>
#include <sstream>
#include <utility>

namespace ember {
namespace fs = std::filesystem;
namespace {

constexpr int kPrintedAtOnce = 32;
constexpr double kQuietDb = -120.0, kQuietFor = 0.5, kLongestTail = 30.0;  // dBFS, seconds

// What comes to the seat of one row, interleaved.
class AtSeat : public PlanObserver {
  public:
    void stageDone(int row, int stage, int, const AudioBlock& before, const AudioBlock&,
                   const Processor&, bool) override {
        if (row != row_ || stage != seat_) return;
        for (int i = 0; i < before.frames; ++i) {
            for (int c = 0; c < before.channels; ++c) heard.push_back(before.channel[c][i]);
        }
    }
    void watch(int row, int seat) {
        row_ = row;
        seat_ = seat;
    }
    std::vector<float> heard;

  private:
    int row_ = -1, seat_ = -1;
};

Error notWritten(const fs::path& file, const std::error_code& why) {
    return Error("“" + file.string() + "” could not be written (" + why.message() +
                 "); free space or choose a folder you may write to.");
}

// A file of ours that is still without its name.
class Unnamed {
  public:
    Unnamed(fs::path folder, const std::string& id)
        : folder_(std::move(folder)),
          file_(folder_ / (id + ".printing.wav")),
          id_(id),
          made_(makeFolder(folder_)) {}
    ~Unnamed() {
        std::error_code none;
        fs::remove(file_, none);
        if (made_) fs::remove(folder_, none);  // one that holds something stays
    }
    Unnamed(const Unnamed&) = delete;
    Unnamed& operator=(const Unnamed&) = delete;

    [[nodiscard]] const fs::path& file() const { return file_; }
    // Its last name, by content; `hash` of that.
    [[nodiscard]] fs::path name(const std::string& hash) const {
        fs::path to = folder_ / (id_ + " " + hash.substr(0, 12) + ".wav");
        std::error_code failed;
        fs::rename(file_, to, failed);
        if (failed) throw notWritten(to, failed);
        return to;
    }

  private:
    fs::path folder_, file_;
    std::string id_;
    bool made_;
};

// Of a row, or the clip of a snapshot.
bool isPrint(const fs::path& file) {
    return file.extension() == ".wav" || file.extension() == ".flac";
}

}  // namespace

fs::path printFolder(const fs::path& sessionFile) {
    fs::path folder = sessionFile;
    return folder.replace_extension(".prints");
}

Print printRow(const Session& session, AudioStore& store, const std::string& id,
               const fs::path& folder, std::int64_t time, const Progress& progress,
               double semitones) {
    Session alone = session;
    for (Row& row : alone.rows) row.solo = false;
    Row& row = requireRow(alone, id);
    row.mute = false;
    if (row.kind == RowKind::main || row.kind == RowKind::reference)
        throw Error("“" + row.name +
                    "” cannot be printed; print a row or a bus that feeds the main.");
    const std::set<std::string> heard = heardIn(alone, id);
    AtSeat observer;
    const auto plan = compile(
        alone, store, {kPrintedAtOnce, 1, true, {heard.begin(), heard.end()}, &observer}, progress);
    for (const std::string& problem : plan->problems()) throw Error(problem);
    observer.watch(plan->rowIndex(id), static_cast<int>(row.chain.size()) - 1);

    const double rate = session.sampleRate;
    const int channels = channelCount(row);
    const Unnamed made(folder, id);
    AudioWriter writer(made.file(), channels, session.sampleRate, SampleDepth::float32);
    const auto quiet = static_cast<float>(gainFromDb(kQuietDb));
    const Frames length = plan->length(), late = plan->latency(plan->rowIndex(id)),
                 most = length + static_cast<Frames>(kLongestTail * rate);
    Frames written = 0, loudest = 0;  // frames of song time; where the last sound was
    std::vector<BlockPlay> blocks;
    for (Frames position = 0; written < most && written < std::max(length, loudest) +
                                                              static_cast<Frames>(kQuietFor * rate);
         position += kPrintedAtOnce * kBlock) {
        blocks.clear();
        for (int b = 0; b < kPrintedAtOnce; ++b)
            blocks.push_back({BlockPlay::Mode::play, position + b * kBlock, 0});
        observer.heard.clear();
        plan->run(blocks);
        // Song zero comes after the row's latency.
        const Frames skip = std::clamp<Frames>(late - position, 0, kPrintedAtOnce * kBlock);
        const std::span<const float> piece =
            std::span<const float>(observer.heard)
                .subspan(static_cast<std::size_t>(skip * channels));
        writer.write(piece);
        for (std::size_t i = 0; i < piece.size(); ++i) {
            if (std::abs(piece[i]) > quiet)
                loudest = written + static_cast<Frames>(i) / channels + 1;
        }
        written += static_cast<Frames>(piece.size()) / channels;
        report(progress,
               std::min(1.0, static_cast<double>(position) / static_cast<double>(length + 1)),
               "Printing " + row.name);
    }
    writer.finish();
    if (semitones != 0.0)
        writeAudio(made.file(), pitchShifted(readAudio(made.file()), semitones, progress),
                   SampleDepth::float32);
    const std::string hash = hashFile(made.file());
    const fs::path file = made.name(hash);
    Print print{{}, recipeOf(session, id), time};
    for (int c = 0; c < channels; ++c) print.audio.push_back({file.string(), hash, c, 0.0});
    return print;
}

Session withPrintsBeside(Session session, const fs::path& sessionFile) {
    const fs::path folder = printFolder(sessionFile);
    const auto bring = [&](Source& source) {
        const fs::path from = source.file;
        std::error_code none;
        if (from.parent_path() == folder || !fs::exists(from, none)) return;
        const fs::path to = folder / from.filename();
        makeFolder(folder);
        std::error_code failed;
        if (!fs::exists(to, none)) fs::copy_file(from, to, failed);
        if (failed) throw notWritten(to, failed);
        source.file = to.string();
    };
    const auto bringAll = [&](std::vector<Row>& rows) {
        for (Row& row : rows) {
            if (row.frozen)
                std::for_each(row.frozen->audio.begin(), row.frozen->audio.end(), bring);
            if (row.printed) std::for_each(row.sources.begin(), row.sources.end(), bring);
        }
    };
    bringAll(session.rows);
    for (Snapshot& snapshot : session.snapshots) {
        std::vector<Row> rows = snapshot.rows.get();
        bringAll(rows);
        if (rows != snapshot.rows.get()) snapshot.rows = Shared(std::move(rows));
        if (snapshot.clip)
            std::for_each(snapshot.clip->audio.begin(), snapshot.clip->audio.end(), bring);
    }
    return session;
}

std::vector<fs::path> oldPrints(const Document& document, const fs::path& sessionFile) {
    std::vector<fs::path> out;
    std::error_code none;
    const std::set<std::string> needed = document.files();
    const fs::path absolute = fs::absolute(sessionFile).lexically_normal();
    for (const auto& entry : fs::directory_iterator(printFolder(absolute), none)) {
        if (entry.is_regular_file(none) && isPrint(entry.path()) &&
            !needed.contains(entry.path().string()))
            out.push_back(entry.path());
    }
    if (out.empty()) return out;
    // Saves name files by their paths: one that is not named there is not played there.
    for (const auto& entry : fs::directory_iterator(absolute.parent_path(), none)) {
        const std::string ending = entry.path().extension().string();
        if (!entry.is_regular_file(none) ||
            (ending != ".cask" && ending != ".json" && ending != ".previous"))
            continue;
        std::ifstream in(entry.path(), std::ios::binary);
        std::ostringstream text;
        text << in.rdbuf();
        const std::string saved = text.str();
        std::erase_if(out, [&](const fs::path& file) {
            return saved.find(file.filename().string()) != std::string::npos;
        });
    }
    return out;
}

}  // namespace ember
