// One decoded recording at the session's rate, memory-mapped from the cache.
//
// Memory stays flat over the length of a song: the pages belong to the system's
// file cache. Reading is wait-free as long as the pages are resident, which
// prefetch(), called ahead of the playhead from another thread, sees to.
#pragma once

#include "core/base/progress.h"
#include "core/base/units.h"

#include <cstdint>
#include <filesystem>
#include <memory>
#include <span>
#include <string>
#include <vector>

namespace ember {

// Smallest, largest and mean-square value of a run of frames.
struct WaveBin {
    float low = 0.0F, high = 0.0F, meanSquare = 0.0F;
};

// Frames [from, to).
struct FrameSpan {
    Frames from = 0, to = 0;
    bool operator==(const FrameSpan&) const = default;
};

// What was noticed while decoding; the recording itself is left as it is.
struct ClipFacts {
    std::int64_t nonFinite = 0;    // NaN or infinite samples, replaced by silence
    std::int64_t clippedRuns = 0;  // runs of three or more samples at full scale
    float peak = 0.0F;             // largest magnitude, linear
    float meanSquare = 0.0F;       // over all channels
    float correlation = 1.0F;      // of the first two channels, -1..1 (1 when mono)
    float dc = 0.0F;               // largest channel mean, linear
    double missingFrom = -1.0;     // seconds from which promised audio is missing; below 0: none is
};

class Clip {
  public:
    static constexpr Frames kBinFrames = 256;  // of the finest pyramid level
    static constexpr int kBinFactor = 4;       // each level above is coarser by this

    // Decodes `source` to `rate` into `cacheFile` unless a sound cache is there,
    // then maps it. Throws Error; never leaves half a cache file under its name.
    static std::shared_ptr<const Clip> open(const std::filesystem::path& source, int rate,
                                            const std::filesystem::path& cacheFile,
                                            const Progress& progress);
    ~Clip();
    Clip(const Clip&) = delete;
    Clip& operator=(const Clip&) = delete;

    [[nodiscard]] int channels() const { return channels_; }
    [[nodiscard]] Frames frames() const { return frames_; }
    [[nodiscard]] int sampleRate() const { return rate_; }
    [[nodiscard]] std::span<const float> channel(int index) const;
    [[nodiscard]] const ClipFacts& facts() const { return facts_; }

    // Pyramid level (0 = 256 frames a bin); the coarsest level is returned beyond the last.
    [[nodiscard]] std::span<const WaveBin> bins(int channel, int level) const;
    [[nodiscard]] int levels() const;
    // Low, high and mean square over [from, to) from the coarsest fitting level.
    [[nodiscard]] WaveBin summary(int channel, Frames from, Frames to) const;

    // Asks the system to have [from, to) resident. Not for the audio thread.
    void prefetch(Frames from, Frames to) const;
    // Keeps these in memory and lets go of what was kept before; none lets go of all. The system
    // may refuse what is too much: the first ones go before the others. One thread at a time, not
    // the audio thread.
    void hold(std::span<const FrameSpan> stretches) const;

  private:
    Clip() = default;
    bool map(const std::filesystem::path& cacheFile);

    int channels_ = 0, rate_ = 0;
    Frames frames_ = 0;
    ClipFacts facts_;
    void* mapping_ = nullptr;
    std::size_t mappingBytes_ = 0;
    const float* samples_ = nullptr;
    std::vector<std::vector<std::vector<WaveBin>>> pyramid_;  // [channel][level][bin]
    mutable std::vector<FrameSpan> held_;
};

}  // namespace ember
