#include "tests/support/support.h"

#include "core/advise/intake.h"
#include "core/base/error.h"
#include "core/base/random.h"
#include "core/base/units.h"

#include <unistd.h>

#include <cmath>
#include <fstream>
#include <numbers>
#include <sstream>

namespace ember::test {
namespace fs = std::filesystem;

TempFolder::TempFolder() {
    std::string name = (fs::temp_directory_path() / ("ember-test-" + std::string(6, 'X'))).string();
    if (mkdtemp(name.data()) == nullptr) throw Error("No temporary folder can be made.");
    path_ = name;
}

TempFolder::~TempFolder() {
    std::error_code code;
    fs::permissions(path_, fs::perms::owner_all, code);
    fs::remove_all(path_, code);
}

AudioStore& sharedStore() {
    static const TempFolder folder;
    static AudioStore store(folder / "cache");
    return store;
}

std::vector<float> sine(double hertz, double amplitude, std::size_t frames, double rate) {
    std::vector<float> out(frames);
    for (std::size_t i = 0; i < frames; ++i)
        out[i] = static_cast<float>(
            amplitude * std::sin(2.0 * std::numbers::pi * hertz * static_cast<double>(i) / rate));
    return out;
}

std::vector<float> noise(double amplitude, std::size_t frames, std::uint64_t seed) {
    Random random(seed);
    std::vector<float> out(frames);
    for (float& x : out) x = static_cast<float>(amplitude) * random.noise();
    return out;
}

void writeMono(const fs::path& file, const std::vector<float>& samples, double rate,
               SampleDepth depth) {
    writeAudio(file, {rate, {samples}}, depth);
}

void writeText(const fs::path& file, const std::string& text) {
    std::ofstream(file, std::ios::binary) << text;
}

std::string readText(const fs::path& file) {
    std::ostringstream out;
    out << std::ifstream(file, std::ios::binary).rdbuf();
    return out.str();
}

const demo::Recording& shortRecording() {
    static const demo::Recording recording = [] {
        demo::KitOptions options;
        options.seconds = 16.0;
        return demo::record(options);
    }();
    return recording;
}

const fs::path& shortRecordingFolder() {
    static const TempFolder folder;
    static const fs::path made = [] {
        demo::writeRecording(shortRecording(), folder / "kit");
        return folder / "kit";
    }();
    return made;
}

const Session& shortSession() {
    static const Session session =
        sessionFrom(takeIn({shortRecordingFolder()}, sharedStore(), 104.0), sharedStore());
    return session;
}

Session oneElement(const fs::path& file, int rate) {
    Session session;
    session.sampleRate = rate;
    Row row;
    row.id = "one";
    row.name = "One";
    row.parent = "main";
    row.sources = {{file.string(), "", 0, 0.0}};
    row.chain = makeChain(RowKind::element);
    Row main;
    main.id = "main";
    main.name = "Main";
    main.kind = RowKind::main;
    main.chain = makeChain(RowKind::main);
    session.rows = {row, main};
    return session;
}

Session twoElements(const fs::path& one, const fs::path& two) {
    Session session = oneElement(one);
    session.rows[0].parent = "left";
    Row other = session.rows[0];
    other.id = "two";
    other.name = "Two";
    other.parent = "right";
    other.sources = {{two.string(), "", 0, 0.0}};
    Row left = session.rows[1];
    left.kind = RowKind::bus;
    left.parent = "main";
    left.id = left.name = "left";
    Row right = left;
    right.id = right.name = "right";
    session.rows.insert(session.rows.begin() + 1, {left, other, right});
    return session;
}

std::vector<float> run(Processor& processor, const std::vector<float>& signal,
                       const std::vector<float>& key, const std::function<void(int)>& each) {
    std::vector<float> out(signal);
    std::vector<float> heard(key.empty() ? signal : key);
    heard.resize(signal.size());
    for (std::size_t at = 0; at < out.size(); at += kBlock) {
        if (each) each(static_cast<int>(at / kBlock));
        const int frames = static_cast<int>(std::min<std::size_t>(kBlock, out.size() - at));
        AudioBlock io{{out.data() + at, nullptr}, 1, frames},
            k{{heard.data() + at, nullptr}, 1, frames};
        processor.process(io, k);
    }
    return out;
}

std::unique_ptr<Processor> make(const std::string& type, double rate,
                                const std::vector<std::pair<std::string, double>>& changes,
                                int channels) {
    const ProcessorType& t = processorType(type);
    std::vector<double> values = standardValues(t.table);
    for (const auto& [id, value] : changes) {
        const int index = parameterIndex(t.table, id);
        if (index < 0) throw Error("no parameter " + id);
        values[static_cast<std::size_t>(index)] = value;
    }
    auto processor = t.make({rate, channels}, values);
    processor->reset();
    return processor;
}

double peakDb(const std::vector<float>& samples, std::size_t from, std::size_t to) {
    float peak = 0.0F;
    for (std::size_t i = from; i < std::min(to, samples.size()); ++i)
        peak = std::max(peak, std::abs(samples[i]));
    return dbFromGain(static_cast<double>(peak));
}

double peakAboveDb(const std::vector<float>& samples, double hertz, double rate) {
    // Windowed-sinc high-pass (Blackman, 1023 taps): stop band below -74 dB per 3.3 % of the rate.
    constexpr int kTaps = 1023;
    std::vector<double> taps(kTaps);
    const double corner = hertz / rate;
    for (int i = 0; i < kTaps; ++i) {
        const int n = i - kTaps / 2;
        const double t = 2.0 * std::numbers::pi * i / (kTaps - 1);
        const double window = 0.42 - 0.5 * std::cos(t) + 0.08 * std::cos(2.0 * t);
        const double low =
            n == 0 ? 2.0 * corner
                   : std::sin(2.0 * std::numbers::pi * corner * n) / (std::numbers::pi * n);
        taps[static_cast<std::size_t>(i)] = (n == 0 ? 1.0 : 0.0) - low * window;
    }
    double peak = 0.0;
    for (std::size_t at = kTaps; at < samples.size(); ++at) {
        double sum = 0.0;
        for (std::size_t i = 0; i < kTaps; ++i)
            sum += taps[i] * static_cast<double>(samples[at - i]);
        peak = std::max(peak, std::abs(sum));
    }
    return dbFromGain(peak);
}

std::string errorOf(const std::function<void()>& job) {
    try {
        job();
    } catch (const Error& e) {
        return e.what();
    }
    return {};
}

}  // namespace ember::test
