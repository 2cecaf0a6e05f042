#include "core/audio/file.h"

#include "core/audio/riff.h"
#include "core/base/error.h"

#include <sndfile.h>

#include <algorithm>
#include <array>
#include <cctype>
#include <cmath>
#include <cstring>
#include <system_error>

namespace ember {
namespace fs = std::filesystem;
namespace {

// In a name any way it is written.
std::string endingOf(const fs::path& path) {
    std::string ending = path.extension().string();
    std::transform(ending.begin(), ending.end(), ending.begin(),
                   [](unsigned char c) { return static_cast<char>(std::tolower(c)); });
    return ending;
}

std::string quoted(const fs::path& path) {
    return "“" + path.filename().string() + "”";
}

std::string formatName(int format) {
    SF_FORMAT_INFO major{};
    major.format = format & SF_FORMAT_TYPEMASK;
    sf_command(nullptr, SFC_GET_FORMAT_INFO, &major, sizeof(major));
    std::string name = major.name != nullptr ? major.name : "audio";
    name = name.substr(0, name.find(' '));
    if (name == "WAVEX" || name == "RF64") name = "WAV";  // the same to whoever mixes
    switch (format & SF_FORMAT_SUBMASK) {
        case SF_FORMAT_PCM_U8:
        case SF_FORMAT_PCM_S8:
            return name + " 8-bit";
        case SF_FORMAT_PCM_16:
            return name + " 16-bit";
        case SF_FORMAT_PCM_24:
            return name + " 24-bit";
        case SF_FORMAT_PCM_32:
            return name + " 32-bit";
        case SF_FORMAT_FLOAT:
            return name + " 32-bit float";
        case SF_FORMAT_DOUBLE:
            return name + " 64-bit float";
        default:
            return name;
    }
}

}  // namespace

struct AudioReader::Handle {
    SNDFILE* file = nullptr;
};

AudioReader::AudioReader(const fs::path& path) : path_(path), handle_(std::make_unique<Handle>()) {
    std::error_code code;
    if (!fs::is_regular_file(path, code)) {
        throw Error(quoted(path) + " is not there (looked in “" + path.parent_path().string() +
                    "”): put it back or choose where it is now.");
    }
    if (hasBrokenList(path))
        throw Error(quoted(path) +
                    " is damaged: its list of texts claims more than it holds; export it again as "
                    "WAV, AIFF or FLAC.");
    SF_INFO info{};
    handle_->file = sf_open(path.c_str(), SFM_READ, &info);
    if (handle_->file == nullptr) {
        throw Error(quoted(path) +
                    " could not be read as audio: it is damaged or of another kind; "
                    "export it again as WAV, AIFF or FLAC.");
    }
    std::string fault;
    if (info.frames <= 0) fault = " holds no audio: record or export it again.";
    if (info.channels < 1 || info.channels > kMaxChannels) {
        fault = " has " + std::to_string(info.channels) + " channels; up to 64 can be read.";
    }
    if (info.samplerate < 4000 || info.samplerate > 768000) {
        fault = " claims a sample rate of " + std::to_string(info.samplerate) +
                " Hz; 4 to 768 kHz can be read.";
    }
    if (!fault.empty()) {
        sf_close(handle_->file);
        throw Error(quoted(path) + fault);
    }
    info_ = {info.channels, info.samplerate, info.frames, formatName(info.format), 0};
    SF_BROADCAST_INFO broadcast{};
    if (sf_command(handle_->file, SFC_GET_BROADCAST_INFO, &broadcast, sizeof(broadcast)) ==
        SF_TRUE) {
        info_.timeReference =
            static_cast<Frames>((static_cast<std::uint64_t>(broadcast.time_reference_high) << 32U) |
                                broadcast.time_reference_low);
    }
}

AudioReader::~AudioReader() {
    if (handle_->file != nullptr) sf_close(handle_->file);
}

Frames AudioReader::read(std::span<float> interleaved) {
    const auto want = static_cast<sf_count_t>(interleaved.size()) / info_.channels;
    const Frames got =
        std::max<sf_count_t>(0, sf_readf_float(handle_->file, interleaved.data(), want));
    // The library fills up with silence what it failed to decode.
    if (sf_error(handle_->file) != SF_ERR_NO_ERROR) broken_ = true;
    return got;
}

Frames soundFrames(const fs::path& path) {
    AudioReader reader(path);
    std::vector<float> piece(static_cast<std::size_t>(reader.info().channels) * 4096);
    Frames sound = 0;
    while (const Frames got = reader.read(piece)) {
        if (reader.broken()) {
            // What came before the fault is sound: up to the last sample that is not silent.
            for (Frames i = got; i-- > 0;) {
                const auto* frame = piece.data() + i * reader.info().channels;
                if (std::any_of(frame, frame + reader.info().channels,
                                [](float v) { return v != 0.0F; }))
                    return sound + i + 1;
            }
            return sound;
        }
        sound += got;
    }
    return sound;
}

AudioBuffer readAudio(const fs::path& path) {
    AudioReader reader(path);
    const int channels = reader.info().channels;
    AudioBuffer audio{static_cast<double>(reader.info().sampleRate), {}};
    audio.channels.resize(static_cast<std::size_t>(channels));
    std::vector<float> piece(static_cast<std::size_t>(channels) * 65536);
    while (const Frames got = reader.read(piece)) {
        for (int c = 0; c < channels; ++c) {
            for (Frames i = 0; i < got; ++i) {
                audio.channels[static_cast<std::size_t>(c)].push_back(
                    piece[static_cast<std::size_t>(i * channels + c)]);
            }
        }
    }
    return audio;
}

bool looksLikeAudio(const fs::path& path) {
    constexpr std::array known{".wav",  ".wave", ".bwf", ".rf64", ".w64", ".aif", ".aiff",
                               ".aifc", ".flac", ".ogg", ".oga",  ".caf", ".au",  ".opus"};
    const std::string extension = endingOf(path);
    return std::find(known.begin(), known.end(), extension) != known.end();
}

struct AudioWriter::Handle {
    SNDFILE* file = nullptr;
};

namespace {

// Says when a file begins, and nothing that differs from one render to the next.
void stampTime(SNDFILE* file, Frames reference) {
    SF_BROADCAST_INFO broadcast{};
    broadcast.version = 1;
    broadcast.time_reference_low = static_cast<std::uint32_t>(reference);
    broadcast.time_reference_high =
        static_cast<std::uint32_t>(static_cast<std::uint64_t>(reference) >> 32U);
    sf_command(file, SFC_SET_BROADCAST_INFO, &broadcast, sizeof(broadcast));
}

void putNotes(SNDFILE* file, const SoundNotes& notes) {
    if (!notes.comment.empty()) sf_set_string(file, SF_STR_COMMENT, notes.comment.c_str());
    if (notes.key < 0) return;
    SF_INSTRUMENT instrument{};
    instrument.gain = 1;
    instrument.basenote = static_cast<char>(notes.key);
    instrument.key_lo = instrument.key_hi = instrument.basenote;
    instrument.velocity_lo = static_cast<char>(notes.lowVelocity);
    instrument.velocity_hi = static_cast<char>(notes.highVelocity);
    sf_command(file, SFC_SET_INSTRUMENT, &instrument, sizeof(instrument));
}

}  // namespace

SoundNotes readSoundNotes(const fs::path& path) {
    SF_INFO info{};
    SNDFILE* file = sf_open(path.c_str(), SFM_READ, &info);
    if (file == nullptr)
        throw Error("“" + path.string() + "” is no audio file that can be read; choose another.");
    SoundNotes out;
    if (const char* text = sf_get_string(file, SF_STR_COMMENT)) out.comment = text;
    SF_INSTRUMENT instrument{};
    if (sf_command(file, SFC_GET_INSTRUMENT, &instrument, sizeof(instrument)) == SF_TRUE) {
        // The library keeps them as plain characters, whose sign is the machine's choice.
        out.key = static_cast<unsigned char>(instrument.basenote);
        out.lowVelocity = static_cast<unsigned char>(instrument.velocity_lo);
        out.highVelocity = static_cast<unsigned char>(instrument.velocity_hi);
    }
    sf_close(file);
    return out;
}

AudioWriter::AudioWriter(const fs::path& path, int channels, int sampleRate, SampleDepth depth,
                         Frames timeReference, const SoundNotes& notes)
    : path_(path),
      part_(path.string() + ".part"),
      handle_(std::make_unique<Handle>()),
      channels_(channels),
      dithered_(depth == SampleDepth::pcm16) {
    SF_INFO info{};
    info.channels = channels;
    info.samplerate = sampleRate;
    const bool flac = endingOf(path) == ".flac";
    if (flac && depth == SampleDepth::float32)
        throw Error(
            "“" + path.string() +
            "” cannot hold 32-bit floats: choose 16 or 24 bit, or a name that ends in .wav.");
    const bool noted = notes != SoundNotes{};
    info.format = (flac    ? SF_FORMAT_FLAC
                   : noted ? SF_FORMAT_WAV
                           : SF_FORMAT_RF64) |
                  (depth == SampleDepth::pcm16   ? SF_FORMAT_PCM_16
                   : depth == SampleDepth::pcm24 ? SF_FORMAT_PCM_24
                                                 : SF_FORMAT_FLOAT);
    handle_->file = sf_open(part_.c_str(), SFM_WRITE, &info);
    if (handle_->file == nullptr) {
        throw Error(
            "“" + path.string() +
            "” cannot be written: check that the folder exists and that you may write to it.");
    }
    sf_command(handle_->file, SFC_RF64_AUTO_DOWNGRADE, nullptr, SF_TRUE);
    sf_command(handle_->file, SFC_SET_CLIPPING, nullptr, SF_TRUE);
    // No time stamp in a PEAK chunk: the same mix is the same file. Only a WAV of floats comes with
    // one; to any other, asking for none would add it.
    if (noted && depth == SampleDepth::float32)
        sf_command(handle_->file, SFC_SET_ADD_PEAK_CHUNK, nullptr, SF_FALSE);
    if (timeReference > 0 && !flac) stampTime(handle_->file, timeReference);
    putNotes(handle_->file, notes);
}

AudioWriter::~AudioWriter() {
    if (handle_->file == nullptr) return;
    sf_close(handle_->file);
    std::error_code ignored;
    fs::remove(part_, ignored);
}

void AudioWriter::write(std::span<const float> interleaved) {
    const auto frames = static_cast<sf_count_t>(interleaved.size()) / channels_;
    if (dithered_) {
        // The library cuts off what is under a step: rounding is done here, a quarter above the
        // step.
        constexpr double kSteps = 32768.0;
        dither_.clear();
        for (const float v : interleaved) {
            const double noise = random_.uniform() - random_.uniform(),
                         step = std::floor(static_cast<double>(v) * kSteps + noise + 0.5);
            dither_.push_back(static_cast<float>((step + 0.25) / kSteps));
        }
        interleaved = dither_;
    }
    if (sf_writef_float(handle_->file, interleaved.data(), frames) != frames) {
        throw Error("“" + path_.string() +
                    "” could not be written to its end: the disk is probably full.");
    }
}

void AudioWriter::finish() {
    const int closed = sf_close(handle_->file);
    handle_->file = nullptr;
    std::error_code code;
    if (closed == 0) fs::rename(part_, path_, code);
    if (closed != 0 || code) {
        std::error_code ignored;
        fs::remove(part_, ignored);
        throw Error("“" + path_.string() +
                    "” could not be finished: the disk is full or the folder is read-only.");
    }
}

void writeAudio(const fs::path& path, const AudioBuffer& audio, SampleDepth depth,
                const SoundNotes& notes) {
    AudioWriter writer(path, static_cast<int>(audio.channels.size()),
                       static_cast<int>(audio.sampleRate), depth, 0, notes);
    std::vector<float> piece;
    for (std::size_t start = 0; start < audio.frames(); start += 65536) {
        const std::size_t end = std::min(audio.frames(), start + 65536);
        piece.clear();
        for (std::size_t i = start; i < end; ++i) {
            for (const auto& channel : audio.channels) piece.push_back(channel[i]);
        }
        writer.write(piece);
    }
    writer.finish();
}

}  // namespace ember
