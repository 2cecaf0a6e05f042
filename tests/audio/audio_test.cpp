#include "core/audio/clip.h"
#include "core/audio/file.h"
#include "core/audio/riff.h"
#include "core/audio/store.h"
#include "core/base/error.h"
#include "core/base/units.h"
#include "tests/support/accuracy.h"
#include "tests/support/support.h"

#include <sndfile.h>
#include <sys/mman.h>

#include <array>
#include <cmath>
#include <fstream>
#include <limits>
#include <numbers>
#include <thread>

namespace ember {
namespace {

namespace fs = std::filesystem;
using test::TempFolder;

TEST(AudioFile, RoundTripsEveryDepth) {
    const TempFolder folder;
    const AudioBuffer audio{48000.0, {test::noise(0.5, 5000, 1), test::noise(0.5, 5000, 2)}};
    writeAudio(folder / "f.wav", audio, SampleDepth::float32);
    EXPECT_EQ(readAudio(folder / "f.wav"), audio);
    writeAudio(folder / "i.wav", audio, SampleDepth::pcm24);
    const AudioBuffer back = readAudio(folder / "i.wav");
    for (std::size_t i = 0; i < 5000; ++i)
        ASSERT_NEAR(back.channels[1][i], audio.channels[1][i], 1.0 / 8388607);
}

TEST(AudioFile, HoldsNoTimeOfItsWriting) {
    // The same samples are the same file, whatever the clock says: prints are named by content.
    const TempFolder folder;
    const AudioBuffer audio{48000.0, {test::noise(0.5, 5000, 1)}};
    SoundNotes notes;
    notes.comment = "what it is made of";
    for (const SampleDepth depth : {SampleDepth::pcm16, SampleDepth::pcm24, SampleDepth::float32}) {
        for (const SoundNotes& with : {SoundNotes{}, notes}) {
            writeAudio(folder / "f.wav", audio, depth, with);
            EXPECT_EQ(test::readText(folder / "f.wav").find("PEAK"), std::string::npos)
                << static_cast<int>(depth) << " " << with.comment;
        }
    }
}

TEST(AudioFile, ClipsIntegersInsteadOfWrapping) {
    const TempFolder folder;
    writeAudio(folder / "i.wav", {48000.0, {{1.5F, -1.5F, 0.0F}}}, SampleDepth::pcm16);
    const AudioBuffer back = readAudio(folder / "i.wav");
    EXPECT_GT(back.channels[0][0], 0.99F);
    EXPECT_LT(back.channels[0][1], -0.99F);
}

TEST(AudioFile, AppearsOnlyWhenItIsComplete) {
    const TempFolder folder;
    {
        AudioWriter writer(folder / "a.wav", 1, 48000, SampleDepth::pcm24);
        writer.write(std::vector<float>(100, 0.1F));
    }
    EXPECT_TRUE(fs::is_empty(folder.path()));
}

TEST(AudioFile, RefusesWhatIsNoAudioWithOneSentence) {
    const TempFolder folder;
    test::writeText(folder / "text.wav", "this is a shopping list, not a recording\n");
    test::writeText(folder / "empty.wav", "");
    test::writeMono(folder / "whole.wav", test::noise(0.5, 1000));
    const std::string whole = test::readText(folder / "whole.wav");
    test::writeText(folder / "torn header.wav", whole.substr(0, 23));
    AudioWriter(folder / "no frames.wav", 1, 48000, SampleDepth::pcm16).finish();
    for (const char* name :
         {"text.wav", "empty.wav", "torn header.wav", "no frames.wav", "not there.wav"}) {
        const std::string sentence = test::errorOf([&] { AudioReader reader(folder / name); });
        EXPECT_NE(sentence.find(name), std::string::npos) << sentence;
        EXPECT_EQ(sentence.back(), '.') << sentence;
        EXPECT_EQ(sentence.find('\n'), std::string::npos) << sentence;
    }
}

TEST(AudioFile, ReadsAllRatesDepthsAndChannelCounts) {
    const TempFolder folder;
    for (const int rate : {8000, 22050, 44100, 96000, 192000}) {
        for (const int channels : {1, 2, 7}) {
            AudioBuffer audio{static_cast<double>(rate), {}};
            for (int c = 0; c < channels; ++c)
                audio.channels.push_back(test::noise(0.3, 500, static_cast<std::uint64_t>(c) + 1));
            writeAudio(folder / "x.wav", audio, SampleDepth::float32);
            const AudioReader reader(folder / "x.wav");
            EXPECT_EQ(reader.info().channels, channels);
            EXPECT_EQ(reader.info().sampleRate, rate);
            EXPECT_EQ(reader.info().frames, 500);
        }
    }
}

TEST(Clip, ConvertsRatesWithAResidueUnder120Decibels) {
    const TempFolder folder;
    AudioStore store(folder / "cache");
    for (const double from : {44100.0, 96000.0}) {
        const double hertz = 997.0, top = 0.45 * 44100.0;
        for (const double f : {hertz, top * 0.9}) {
            test::writeMono(folder / ("t" + std::to_string(f) + std::to_string(from) + ".wav"),
                            test::sine(f, 0.5, static_cast<std::size_t>(from), from), from);
            const auto clip = store.open(
                folder / ("t" + std::to_string(f) + std::to_string(from) + ".wav"), 48000);
            EXPECT_NEAR(static_cast<double>(clip->frames()), 48000.0, 2.0);
            // Least squares fit of the sine at its frequency; what is left is the residue.
            double ss = 0, cc = 0, sc = 0, sx = 0, cx = 0;
            const auto x = clip->channel(0);
            const std::size_t begin = 4800, end = 43200;
            for (std::size_t i = begin; i < end; ++i) {
                const double w = 2.0 * std::numbers::pi * f * static_cast<double>(i) / 48000.0,
                             s = std::sin(w), c = std::cos(w), v = static_cast<double>(x[i]);
                ss += s * s;
                cc += c * c;
                sc += s * c;
                sx += s * v;
                cx += c * v;
            }
            const double det = ss * cc - sc * sc, a = (sx * cc - cx * sc) / det,
                         b = (cx * ss - sx * sc) / det;
            double power = 0.0;
            for (std::size_t i = begin; i < end; ++i) {
                const double w = 2.0 * std::numbers::pi * f * static_cast<double>(i) / 48000.0;
                power +=
                    std::pow(static_cast<double>(x[i]) - a * std::sin(w) - b * std::cos(w), 2.0);
            }
            const double residue = 10.0 * std::log10(power / static_cast<double>(end - begin));
            test::accuracy("resampling residue below 0.45 fs", "<= -120 dB", residue, "dB",
                           residue < -120.0);
            EXPECT_LT(residue, -120.0) << f << " Hz from " << from;
            EXPECT_NEAR(std::hypot(a, b), 0.5, 1e-4);
        }
    }
}

TEST(Clip, PyramidSaysWhatTheSamplesSay) {
    const TempFolder folder;
    AudioStore store(folder / "cache");
    const auto audio = test::noise(0.7, 100003, 5);
    test::writeMono(folder / "n.wav", audio);
    const auto clip = store.open(folder / "n.wav", 48000);
    ASSERT_EQ(clip->frames(), 100003);
    for (int level = 0; level < clip->levels(); ++level) {
        const auto bins = clip->bins(0, level);
        const std::size_t size = static_cast<std::size_t>(Clip::kBinFrames) << (2 * level);
        for (std::size_t b = 0; b < bins.size(); b += 3) {
            float low = 1.0F, high = -1.0F;
            for (std::size_t i = b * size; i < std::min(audio.size(), (b + 1) * size); ++i) {
                low = std::min(low, audio[i]);
                high = std::max(high, audio[i]);
            }
            ASSERT_EQ(bins[b].low, low) << level << " " << b;
            ASSERT_EQ(bins[b].high, high) << level << " " << b;
        }
    }
}

TEST(Clip, NoticesWhatIsUnusual) {
    const TempFolder folder;
    AudioStore store(folder / "cache");
    auto audio = test::noise(0.2, 48000);
    for (std::size_t i = 100; i < 108; ++i) audio[i] = 1.0F;
    audio[5000] = std::numeric_limits<float>::quiet_NaN();
    std::vector<float> other(audio.size());
    for (std::size_t i = 0; i < audio.size(); ++i) other[i] = -audio[i];
    writeAudio(folder / "odd.wav", {48000.0, {audio, other}}, SampleDepth::float32);
    const auto clip = store.open(folder / "odd.wav", 48000);
    EXPECT_EQ(clip->facts().nonFinite, 2);
    EXPECT_GE(clip->facts().clippedRuns, 1);
    EXPECT_LT(clip->facts().correlation, -0.9F);
    EXPECT_EQ(clip->channel(0)[5000], 0.0F);
}

TEST(Store, DecodesOnceAndSurvivesABrokenCache) {
    const TempFolder folder;
    test::writeMono(folder / "n.wav", test::noise(0.7, 48000, 5));
    fs::path cached;
    {
        AudioStore store(folder / "cache");
        store.open(folder / "n.wav", 48000);
        for (const auto& item : fs::recursive_directory_iterator(folder / "cache")) {
            if (item.is_regular_file() && item.file_size() > 100000) cached = item.path();
        }
    }
    ASSERT_FALSE(cached.empty());
    int decoding = 0;
    const auto again =
        AudioStore(folder / "cache").open(folder / "n.wav", 48000, [&](double, const std::string&) {
            return ++decoding > 0;
        });
    EXPECT_EQ(again->frames(), 48000);
    EXPECT_EQ(decoding, 0) << "a second opening decodes nothing";
    fs::resize_file(cached, 1000);
    EXPECT_EQ(AudioStore(folder / "cache").open(folder / "n.wav", 48000)->frames(), 48000);
    EXPECT_GT(fs::file_size(cached), 100000U);
}

TEST(Store, CancelLeavesNoHalfCacheFile) {
    const TempFolder folder;
    test::writeMono(folder / "n.wav", test::noise(0.7, 480000, 5));
    AudioStore store(folder / "cache");
    EXPECT_THROW(
        store.open(folder / "n.wav", 44100, [](double, const std::string&) { return false; }),
        Cancelled);
    EXPECT_EQ(store.open(folder / "n.wav", 44100)->frames(), 441000);
}

TEST(Store, TrimsTheOldestFirst) {
    const TempFolder folder;
    AudioStore store(folder / "cache");
    for (int i = 0; i < 4; ++i) {
        test::writeMono(folder / ("n" + std::to_string(i) + ".wav"),
                        test::noise(0.7, 48000, static_cast<std::uint64_t>(i)));
        store.open(folder / ("n" + std::to_string(i) + ".wav"), 48000);
    }
    store.trim(500000);
    std::uintmax_t total = 0;
    for (const auto& item : fs::recursive_directory_iterator(folder / "cache"))
        total += item.is_regular_file() ? item.file_size() : 0;
    EXPECT_LE(total, 500000U);
    EXPECT_GT(total, 100000U);
}

TEST(Store, ManyThreadsOpenTheSameRecordingAtOnce) {
    const TempFolder folder;
    const std::vector<float> signal = test::noise(0.5F, 400000);
    test::writeMono(folder / "a.wav", signal);
    for (int round = 0; round < 6; ++round) {
        AudioStore one(folder / ("cache" + std::to_string(round))), two(one.folder());
        std::vector<std::thread> threads;
        std::vector<std::shared_ptr<const Clip>> clips(8);
        for (std::size_t i = 0; i < clips.size(); ++i) {
            threads.emplace_back(
                [&, i] { clips[i] = (i % 2 == 0 ? one : two).open(folder / "a.wav", 48000); });
        }
        for (std::thread& t : threads) t.join();
        for (const auto& clip : clips) {
            const auto samples = clip->channel(0);
            ASSERT_EQ(std::vector<float>(samples.begin(), samples.end()), signal);
        }
    }
}

void writeFlac(const fs::path& file, const std::vector<float>& samples) {
    SF_INFO info{};
    info.channels = 1;
    info.samplerate = 48000;
    info.format = SF_FORMAT_FLAC | SF_FORMAT_PCM_16;
    SNDFILE* out = sf_open(file.c_str(), SFM_WRITE, &info);
    ASSERT_NE(out, nullptr);
    sf_writef_float(out, samples.data(), static_cast<sf_count_t>(samples.size()));
    sf_close(out);
}

TEST(Clip, SaysFromWhenAFileThatWasCutIsMissing) {
    const TempFolder folder;
    const auto audio = test::noise(0.5F, 480000, 3);
    writeFlac(folder / "whole.flac", audio);
    const std::string bytes = test::readText(folder / "whole.flac");
    test::writeText(folder / "half.flac", bytes.substr(0, bytes.size() / 2));
    AudioStore store(folder / "cache");
    EXPECT_LT(store.open(folder / "whole.flac", 48000)->facts().missingFrom, 0.0);
    const auto half = store.open(folder / "half.flac", 48000);
    EXPECT_NEAR(half->facts().missingFrom, 5.0, 0.3);
    // Up to there it is all there.
    const auto until = static_cast<std::size_t>(47000.0 * half->facts().missingFrom);
    for (std::size_t i = 0; i < until; i += 1000)
        ASSERT_NEAR(half->channel(0)[i], audio[i], 1.0e-4) << i;
}

TEST(Clip, OpensAFileThatIsMostlySilent) {
    const TempFolder folder;
    std::vector<float> audio(48000 * 120, 0.0F);
    audio[48000 * 60] = 0.5F;
    writeFlac(folder / "silent.flac", audio);
    ASSERT_LT(fs::file_size(folder / "silent.flac") * 64, audio.size()) << "or this says nothing";
    AudioStore store(folder / "cache");
    const auto clip = store.open(folder / "silent.flac", 48000);
    EXPECT_EQ(clip->frames(), static_cast<Frames>(audio.size()));
    EXPECT_LT(clip->facts().missingFrom, 0.0);
    EXPECT_NEAR(clip->channel(0)[48000 * 60], 0.5F, 1e-4F);
}

#if !defined(EMBER_SANITIZED)  // which does not let memory be locked
// Kilobytes that the system was told to keep in memory.
long lockedKilobytes() {
    std::ifstream status("/proc/self/status");
    for (std::string line; std::getline(status, line);) {
        if (line.starts_with("VmLck:")) return std::stol(line.substr(6));
    }
    return -1;
}

TEST(Clip, KeepsWhatIsHeldInMemoryAndLetsItGo) {
    const TempFolder folder;
    const std::vector<float> audio(48000 * 20, 0.25F);
    writeAudio(folder / "pair.wav", {48000.0, {audio, audio}}, SampleDepth::float32);
    AudioStore store(folder / "cache");
    // Some systems let nobody keep so much; then nothing is kept, and nothing else changes.
    std::vector<char> probe(700'000);
    const bool mayLock = ::mlock(probe.data(), probe.size()) == 0;
    ::munlock(probe.data(), probe.size());
    const long before = lockedKilobytes();
    ASSERT_GE(before, 0);
    auto clip = store.open(folder / "pair.wav", 48000);
    const auto held = [&] { return lockedKilobytes() - before; };
    // A second of both sides: 2 x 188 kB, by whole pages.
    const std::array<FrameSpan, 1> one{{{48000, 96000}}};
    clip->hold(one);
    EXPECT_NEAR(static_cast<double>(held()), mayLock ? 375.0 : 0.0, 20.0);
    const std::array<FrameSpan, 2> two{{{96000, 144000}, {-4800, 24000}}};
    clip->hold(two);
    EXPECT_NEAR(static_cast<double>(held()), mayLock ? 375.0 + 187.5 : 0.0, 30.0)
        << "in place of the other";
    // Beyond its end there is nothing, and more than is allowed is refused in silence.
    const std::array<FrameSpan, 2> most{{{0, 48000}, {900000, 90000000}}};
    clip->hold(most);
    EXPECT_GE(held(), mayLock ? 370 : 0);
    clip->hold({});
    EXPECT_EQ(held(), 0);
    clip->hold(one);
    clip = nullptr;
    EXPECT_EQ(held(), 0);
}
#endif

TEST(AudioFile, SixteenBitsAreDithered) {
    // A quarter of a step would be lost without: the average keeps it, whatever the signal.
    const TempFolder folder;
    constexpr double step = 1.0 / 32768.0;
    const std::vector<float> level(200000, static_cast<float>(0.25 * step));
    writeAudio(folder / "d.wav", {48000.0, {level}}, SampleDepth::pcm16);
    const AudioBuffer back = readAudio(folder / "d.wav");
    double mean = 0.0, square = 0.0;
    for (const float v : back.channels[0]) {
        mean += static_cast<double>(v) / step / 200000.0;
        square += std::pow(static_cast<double>(v) / step - 0.25, 2.0) / 200000.0;
    }
    EXPECT_NEAR(mean, 0.25, 0.01);
    // Triangular dither leaves an error of three times a rounding's power, whatever the signal.
    EXPECT_NEAR(square, 0.25, 0.01);
}

TEST(AudioFile, AListOfTextsThatClaimsMoreThanItHoldsIsRefused) {
    // Found by fuzzing: the library went round in it for ever.
    const auto size = [](std::uint32_t n) {
        std::string out;
        for (unsigned shift = 0; shift < 32; shift += 8)
            out += static_cast<char>((n >> shift) & 0xFFU);
        return out;
    };
    const auto file = [&](const std::string& part) {
        const std::string format = std::string("\x01\x00\x01\x00", 4) + size(48000) + size(96000) +
                                   std::string("\x02\x00\x10\x00", 4),
                          list = "INFO" + part, sound(200, '\x10');
        const std::string body = "WAVEfmt " + size(16) + format + "LIST" +
                                 size(static_cast<std::uint32_t>(list.size())) + list + "data" +
                                 size(static_cast<std::uint32_t>(sound.size())) + sound;
        return "RIFF" + size(static_cast<std::uint32_t>(body.size())) + body;
    };
    const test::TempFolder folder;
    const auto put = [&](const char* name, const std::string& bytes) {
        std::ofstream(folder / name, std::ios::binary) << bytes;
        return folder / name;
    };
    const auto good = put("good.wav", file("INAM" + size(4) + "Take"));
    EXPECT_FALSE(hasBrokenList(good));
    EXPECT_EQ(AudioReader(good).info().frames, 100);
    for (const std::uint32_t claimed : {0xFFFFFFF7U, 1000U, 6U}) {
        const auto bad = put("bad.wav", file("INAM" + size(claimed) + "Take"));
        EXPECT_TRUE(hasBrokenList(bad)) << claimed;
        EXPECT_NE(test::errorOf([&] { AudioReader reader(bad); }).find("list of texts"),
                  std::string::npos);
    }
    EXPECT_FALSE(hasBrokenList(folder / "none.wav"));
}

TEST(AudioFile, FlacHoldsWhatItsStepsCanAndNothingElse) {
    const test::TempFolder folder;
    const AudioBuffer audio{48000.0, {test::noise(0.5, 20000, 1), test::noise(0.5, 20000, 2)}};
    writeAudio(folder / "a.flac", audio, SampleDepth::pcm24);
    writeAudio(folder / "a.wav", audio, SampleDepth::pcm24);
    EXPECT_EQ(AudioReader(folder / "a.flac").info().format.substr(0, 4), "FLAC");
    // The library cuts off in one form and rounds in the other: a step of 24 bits.
    const AudioBuffer flac = readAudio(folder / "a.flac");
    ASSERT_EQ(flac.frames(), audio.frames());
    for (std::size_t c = 0; c < 2; ++c) {
        for (std::size_t i = 0; i < audio.frames(); ++i)
            ASSERT_NEAR(flac.channels[c][i], audio.channels[c][i], 1.2e-7F);
    }
    EXPECT_LT(fs::file_size(folder / "a.flac"), fs::file_size(folder / "a.wav"));
    writeAudio(folder / "b.FLAC", audio, SampleDepth::pcm16);
    writeAudio(folder / "b.wav", audio, SampleDepth::pcm16);
    EXPECT_EQ(readAudio(folder / "b.FLAC"), readAudio(folder / "b.wav")) << "the same dither";
    EXPECT_NE(test::errorOf([&] {
                  writeAudio(folder / "c.flac", audio, SampleDepth::float32);
              }).find("16 or 24 bit"),
              std::string::npos);
    EXPECT_FALSE(fs::exists(folder / "c.flac"));
}

TEST(AudioFile, ATimeStampIsReadBackAndTheFileIsTheSameEveryTime) {
    const test::TempFolder folder;
    const std::vector<float> x = test::noise(0.5, 1000);
    for (const Frames at : {Frames{1}, Frames{96000}, Frames{1} << 33}) {
        for (const char* name : {"a.wav", "b.wav"}) {
            AudioWriter writer(folder / name, 1, 48000, SampleDepth::pcm24, at);
            writer.write(x);
            writer.finish();
        }
        EXPECT_EQ(AudioReader(folder / "a.wav").info().timeReference, at);
        EXPECT_EQ(test::readText(folder / "a.wav"), test::readText(folder / "b.wav"));
        EXPECT_EQ(readAudio(folder / "a.wav").frames(), 1000U);
    }
    writeAudio(folder / "c.wav", {48000.0, {x}}, SampleDepth::pcm24);
    EXPECT_EQ(AudioReader(folder / "c.wav").info().timeReference, 0);
}

}  // namespace
}  // namespace ember
