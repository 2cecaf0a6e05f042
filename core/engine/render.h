// Offline rendering: the same plan as live, run as fast as it goes.
#pragma once

#include "core/audio/file.h"
#include "core/base/units.h"
#include "core/engine/plan.h"
#include "core/measure/level/loudness.h"

#include <filesystem>
#include <functional>
#include <span>
#include <string>
#include <vector>

namespace ember {

struct RenderOptions {
    int threads = 2;
    int block = 4096;              // frames asked for at a time; the result does not depend on it
    double from = 0.0, to = -1.0;  // seconds of song time; to < 0: the end
    bool withGuests = false;       // guests are heard while mixing but are no part of the mix
    std::vector<std::string> onlyRows = {};  // of renderRows(): these alone; none named: all
    bool tail = false;  // where `to` is the end: on until it is quiet, ten seconds at most
};

struct StemResidue {
    // Largest sample of (sum of stems - what it should be), dBFS.
    double preBusDb = kSilenceDb;        // stems before the buses against the buses' inputs
    double throughBusesDb = kSilenceDb;  // stems through the buses against the mix
    bool busesReplayExactly = true;
};

struct RenderReport {
    Frames frames = 0;
    Frames tail = 0;  // of them, after the last recording has ended
    int latency = 0;
    Loudness loudness;
    std::int64_t stoppedBlocks = 0;
    std::vector<std::string> problems;
    StemResidue stems;
    std::vector<std::filesystem::path> files;
};

// The mix in memory, two channels.
AudioBuffer renderMix(const Session& session, AudioStore& store, const RenderOptions& options,
                      RenderReport* report = nullptr, const Progress& progress = {});

// A file that a mix goes into: WAV, or FLAC where the name ends so.
struct MixFile {
    std::filesystem::path file;
    SampleDepth depth = SampleDepth::pcm24;
    int sampleRate = 0;  // Hz; 0: the session's. Converted where it is another.
};

// The mix into files, all from one rendering; a WAV of a part of the song has the BWF time stamp of
// its beginning, frames from song zero. A file appears only when it is complete. The report tells
// of the mix at the session's rate. Throws Error or Cancelled.
RenderReport renderToFiles(const Session& session, AudioStore& store, const RenderOptions& options,
                           const std::vector<MixFile>& files, const Progress& progress = {});
// Into one file at the session's rate.
RenderReport renderToFile(const Session& session, AudioStore& store, const RenderOptions& options,
                          const std::filesystem::path& file, SampleDepth depth,
                          const Progress& progress = {});

// What rows give parallels and spaces: in every stem its share; none in any stem, and every
// parallel and space as a stem of its own; or none in any stem, and its share beside it.
enum class Returns { inside, apart, wet };

// Which stems, and what they are called.
struct StemSet {
    bool elements = true, groups = false, drums = false;
    Returns returns = Returns::inside;
    // Of a row, without an ending; without it the row's id.
    std::function<std::string(const Row&)> name = {};
};

// Stems as 32-bit float: folder/pre-bus holds every element as it enters its bus (a send behind the
// fader takes the same at the send's gain), folder/through-buses the same carried through its buses
// and those it is sent to, with the gains that the full mix caused there; folder/groups the sum of
// the second over the elements of each bus that feeds the drum bus or main, what is in no such bus
// by itself; folder/drums the same by drum and its id, for elements that stand at one. The second
// and the third each sum to the mix. Where returns are apart they are dry, and sum to the mix
// together with folder/returns, which holds every bus that rows are sent to, as it comes to main
// without being sent on; where they are wet, together with folder/wet and folder/groups-wet. All
// stems begin at the same instant as the mix.
RenderReport renderStems(const Session& session, AudioStore& store, const RenderOptions& options,
                         const std::filesystem::path& folder, const Progress& progress = {},
                         const StemSet& set = {});

// A row's part of the mix: an element (with options.withGuests a guest too) carried through all
// that it feeds with the gains that the whole mix caused there, as the stems through the buses are;
// in memory, two channels, without a tail. Throws Error for a row that nothing feeds to main.
AudioBuffer renderPart(const Session& session, AudioStore& store, const std::string& row,
                       const RenderOptions& options, const Progress& progress = {});

// What a row gives its bus, with all that is heard in it and nothing else; in memory, two channels,
// without a tail. Throws Error for a row that is not rendered.
AudioBuffer renderRow(const Session& session, AudioStore& store, const std::string& row,
                      const RenderOptions& options, const Progress& progress = {});

struct RowAudio {
    std::string row;
    AudioBuffer audio;  // two channels
};
// Every row of a mix at once, in the session's order, over options.from to options.to, without a
// tail: each as the mix hears it, at its fader, all at the same place of the song. Playing begins
// ten seconds before, so that what rings and presses does. Throws Error or Cancelled.
std::vector<RowAudio> renderRows(const Session& session, AudioStore& store,
                                 const RenderOptions& options, const Progress& progress = {});

// The part of the mix that every element is, as renderPart() gives one, over options.from to
// options.to, without a tail; playing begins ten seconds before. Together they are the mix, as far
// as its buses are linear once their gains are given. Throws Error or Cancelled.
std::vector<RowAudio> renderParts(const Session& session, AudioStore& store,
                                  const RenderOptions& options, const Progress& progress = {});

// Where the last sound of the mix ends, frames from song zero: where half a second stays under
// -90 dBFS after the last recording, which it is at least and ten seconds more at most.
Frames soundingLength(const Session& session, AudioStore& store, const RenderOptions& options);

// Refuses, with a sentence, to write over one of the session's recordings.
void protectSources(const Session& session, const std::filesystem::path& target);

}  // namespace ember
