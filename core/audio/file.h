// Audio files, read and written through libsndfile (WAV, BWF, AIFF, FLAC, Ogg, CAF).
// Files that are read are opened for reading only; nothing here ever writes to a source.
#pragma once

#include "core/audio/buffer.h"
#include "core/base/random.h"
#include "core/base/units.h"

#include <filesystem>
#include <memory>
#include <span>
#include <string>
#include <vector>

namespace ember {

struct AudioFileInfo {
    int channels = 0;
    int sampleRate = 0;
    Frames frames = 0;
    std::string format;        // "WAV 24-bit"
    Frames timeReference = 0;  // BWF time stamp in frames since midnight, 0 if none
};

enum class SampleDepth { pcm16, pcm24, float32 };

// Reads a file front to back in pieces. Throws Error with one sentence for
// anything that is not usable audio (not audio, damaged, empty, too many channels).
class AudioReader {
  public:
    static constexpr int kMaxChannels = 64;

    explicit AudioReader(const std::filesystem::path& path);
    ~AudioReader();
    AudioReader(const AudioReader&) = delete;
    AudioReader& operator=(const AudioReader&) = delete;

    [[nodiscard]] const AudioFileInfo& info() const { return info_; }
    // Interleaved frames; returns how many were read, 0 at the end.
    Frames read(std::span<float> interleaved);
    // Whether the file turned out to be damaged in what was read so far.
    [[nodiscard]] bool broken() const { return broken_; }

  private:
    struct Handle;
    std::filesystem::path path_;
    std::unique_ptr<Handle> handle_;
    AudioFileInfo info_;
    bool broken_ = false;
};

// How many frames really come out of a file, whatever its header promises. Reads all of it.
Frames soundFrames(const std::filesystem::path& path);

AudioBuffer readAudio(const std::filesystem::path& path);

// Whether libsndfile is likely to read a file of this name (extension only).
bool looksLikeAudio(const std::filesystem::path& path);

// What a file of one sound says of itself: a text, and for what key and velocities of a MIDI
// keyboard it is meant.
struct SoundNotes {
    std::string comment;
    int key = -1;                             // 0 to 127; negative: none
    int lowVelocity = 1, highVelocity = 127;  // of the key
    bool operator==(const SoundNotes&) const = default;
};
// Those of a file; empty where it has none (a FLAC file holds the text alone). Throws Error.
SoundNotes readSoundNotes(const std::filesystem::path& path);

// Writes a WAV file (RF64 when larger than 4 GiB), or FLAC where the name ends so. 16 bit is
// dithered with triangular noise of two
// steps (Lipshitz, Wannamaker & Vanderkooy, JAES 40(5), 1992), the same for the same samples. The
// file appears under its name only when finish() has succeeded; before that it is "<name>.part",
// which the destructor removes.
class AudioWriter {
  public:
    // `timeReference`: a BWF time stamp, frames; 0: none. A file with notes is a WAV of less than
    // 4 GiB. Throws Error, for FLAC of floats too.
    AudioWriter(const std::filesystem::path& path, int channels, int sampleRate, SampleDepth depth,
                Frames timeReference = 0, const SoundNotes& notes = {});
    ~AudioWriter();
    AudioWriter(const AudioWriter&) = delete;
    AudioWriter& operator=(const AudioWriter&) = delete;

    // Integer depths are clipped, not wrapped. Throws Error on a full disk.
    void write(std::span<const float> interleaved);
    void finish();

  private:
    struct Handle;
    std::filesystem::path path_, part_;
    std::unique_ptr<Handle> handle_;
    int channels_;
    bool dithered_;
    Random random_{16};
    std::vector<float> dither_;
};

void writeAudio(const std::filesystem::path& path, const AudioBuffer& audio, SampleDepth depth,
                const SoundNotes& notes = {});

}  // namespace ember
