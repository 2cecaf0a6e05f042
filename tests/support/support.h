// What the tests share: folders that vanish, made-up recordings, small sessions.
#pragma once

#include "core/audio/file.h"
#include "core/audio/store.h"
#include "core/dsp/processor.h"
#include "core/session/session.h"
#include "demo/kit.h"

#include <gtest/gtest.h>

#include <filesystem>
#include <functional>
#include <string>
#include <vector>

namespace ember::test {

inline constexpr double kRates[] = {44100.0, 48000.0, 96000.0};

class TempFolder {
  public:
    TempFolder();
    ~TempFolder();
    TempFolder(const TempFolder&) = delete;
    TempFolder& operator=(const TempFolder&) = delete;
    [[nodiscard]] const std::filesystem::path& path() const { return path_; }
    std::filesystem::path operator/(const std::string& name) const { return path_ / name; }

  private:
    std::filesystem::path path_;
};

// A store whose cache lives as long as the whole run of tests.
AudioStore& sharedStore();

std::vector<float> sine(double hertz, double amplitude, std::size_t frames, double rate);
std::vector<float> noise(double amplitude, std::size_t frames, std::uint64_t seed = 1);
void writeMono(const std::filesystem::path& file, const std::vector<float>& samples,
               double rate = 48000.0, SampleDepth depth = SampleDepth::float32);
void writeText(const std::filesystem::path& file, const std::string& text);
std::string readText(const std::filesystem::path& file);

// A short recording of the demo kit, made once: 12 microphones, bass, reference.
const demo::Recording& shortRecording();
const std::filesystem::path& shortRecordingFolder();
// The session intake makes of it.
const Session& shortSession();

// One element from a mono file, into main.
Session oneElement(const std::filesystem::path& file, int rate = 48000);

// Two elements ("one", "two"), each in a bus of its own ("left", "right") that feeds the main.
Session twoElements(const std::filesystem::path& one, const std::filesystem::path& two);

// Runs a processor over a whole signal in blocks of kBlock; key empty: its own signal. `each` is
// called before every block.
std::vector<float> run(Processor& processor, const std::vector<float>& signal,
                       const std::vector<float>& key = {},
                       const std::function<void(int block)>& each = {});
// A processor of a type with its defaults and these changes ("threshold", -20).
std::unique_ptr<Processor> make(const std::string& type, double rate,
                                const std::vector<std::pair<std::string, double>>& changes = {},
                                int channels = 1);

double peakDb(const std::vector<float>& samples, std::size_t from = 0,
              std::size_t to = static_cast<std::size_t>(-1));
// Largest magnitude above `hertz`, dBFS: a steep linear-phase high-pass, edges left out.
double peakAboveDb(const std::vector<float>& samples, double hertz, double rate);
// The message of the Error that `job` throws; empty when it throws none.
std::string errorOf(const std::function<void()>& job);

}  // namespace ember::test
