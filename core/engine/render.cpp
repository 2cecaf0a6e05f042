#include "core/audio/resampler.h"
#include "core/base/error.h"
#include "core/engine/render_span.h"

#include <algorithm>
#include <cmath>
#include <memory>
#include <optional>

namespace ember {
namespace fs = std::filesystem;
namespace {

using Sink = std::function<void(std::span<const float> interleaved)>;

// Serves the plan's fixed blocks in pieces of any size, from song zero.
class PlanReader {
  public:
    explicit PlanReader(Plan& plan, int maxBlocks) : plan_(plan), maxBlocks_(maxBlocks) {}

    // Next `frames` frames of main, interleaved.
    void read(std::vector<float>& out, int frames) {
        out.clear();
        while (static_cast<int>(out.size()) < 2 * frames) {
            if (at_ == available_) refill(frames - static_cast<int>(out.size()) / 2);
            const float* l = plan_.mainOutput(0);
            const float* r = plan_.mainOutput(1);
            for (; at_ < available_ && static_cast<int>(out.size()) < 2 * frames; ++at_) {
                out.push_back(l[at_]);
                out.push_back(r[at_]);
            }
        }
    }

  private:
    void refill(int wanted) {
        blocks_.clear();
        const int count = std::clamp((wanted + kBlock - 1) / kBlock, 1, maxBlocks_);
        for (int b = 0; b < count; ++b, position_ += kBlock)
            blocks_.push_back({BlockPlay::Mode::play, position_, 0});
        plan_.run(blocks_);
        at_ = 0;
        available_ = count * kBlock;
    }

    Plan& plan_;
    int maxBlocks_, at_ = 0, available_ = 0;
    Frames position_ = 0;
    std::vector<BlockPlay> blocks_;
};

// A mix on its way into a file, at another rate where that is wanted.
class MixWriter {
  public:
    // `begins`: in the song, seconds.
    MixWriter(const MixFile& file, int rate, double begins)
        : writer_(file.file, 2, rateOf(file, rate), file.depth,
                  static_cast<Frames>(std::llround(begins * rateOf(file, rate)))) {
        if (rateOf(file, rate) != rate)
            resampler_ = std::make_unique<Resampler>(rate, rateOf(file, rate), 2);
    }
    void write(std::span<const float> interleaved) {
        if (resampler_ == nullptr) return writer_.write(interleaved);
        resampler_->push(interleaved, keep_);
    }
    void finish() {
        if (resampler_ != nullptr) resampler_->finish(keep_);
        writer_.finish();
    }

  private:
    static int rateOf(const MixFile& file, int rate) {
        return file.sampleRate > 0 ? file.sampleRate : rate;
    }
    AudioWriter writer_;
    std::unique_ptr<Resampler> resampler_;
    Resampler::Sink keep_ = [this](std::span<const float> x) { writer_.write(x); };
};

RenderReport renderInto(const Session& session, AudioStore& store, const RenderOptions& options,
                        const Sink& sink, bool measured, const Progress& progress) {
    const int block = std::clamp(options.block, 1, 1 << 20);
    const int maxBlocks = std::min((block + kBlock - 1) / kBlock, 64);
    const auto plan = compile(
        session, store,
        {maxBlocks, std::clamp(options.threads, 1, 64), options.withGuests, {}, nullptr, true});
    const double rate = session.sampleRate;
    const bool onward = options.tail && options.to < 0.0;
    const Frames length = onward ? soundingLength(session, store, options) : plan->length();
    const SongSpan span = spanOf(options, rate, length);
    RenderReport result;
    result.tail = length - plan->length();
    result.latency = plan->latency();
    result.problems = plan->problems();
    std::optional<LoudnessMeter> meter;
    if (measured) meter.emplace(2, rate);
    PlanReader reader(*plan, maxBlocks);
    std::vector<float> piece;
    // Always from song zero, so that a part is exactly that part of the whole.
    const Frames last = span.to + result.latency, first = span.from + result.latency;
    for (Frames at = 0; at < last; at += block) {
        reader.read(piece, block);
        const auto begin = static_cast<std::size_t>(std::clamp<Frames>(first - at, 0, block));
        const auto end = static_cast<std::size_t>(std::clamp<Frames>(last - at, 0, block));
        const std::span<const float> wanted(piece.data() + 2 * begin, 2 * (end - begin));
        if (!wanted.empty()) {
            if (meter) meter->add(wanted);
            sink(wanted);
        }
        report(progress, static_cast<double>(at) / static_cast<double>(last), "Rendering the mix");
    }
    result.frames = span.to - span.from;
    if (meter) result.loudness = meter->result();
    result.stoppedBlocks = plan->stoppedBlocks();
    return result;
}

}  // namespace

Frames soundingLength(const Session& session, AudioStore& store, const RenderOptions& options) {
    const auto quiet = static_cast<float>(gainFromDb(-90.0));
    constexpr double kFor = 0.5, kMost = 10.0, kBefore = 3.0;  // seconds
    const auto plan = compile(session, store, {1, 1, options.withGuests, {}, nullptr, true});
    const double rate = session.sampleRate;
    const Frames length = plan->length(),
                 most = length + static_cast<Frames>(kMost * rate) + plan->latency();
    Frames position =
               std::max<Frames>(0, length - static_cast<Frames>(kBefore * rate)) / kBlock * kBlock,
           last = length;
    while (position < most &&
           position < std::max(last, length) + plan->latency() + static_cast<Frames>(kFor * rate)) {
        const BlockPlay play{BlockPlay::Mode::play, position, 0};
        plan->run({&play, 1});
        for (int c = 0; c < 2; ++c) {
            for (int k = 0; k < kBlock; ++k) {
                if (std::abs(plan->mainOutput(c)[k]) > quiet)
                    last = std::max(last, position + k + 1 - plan->latency());
            }
        }
        position += kBlock;
    }
    return last;
}

void protectSources(const Session& session, const fs::path& target) {
    std::error_code code;
    for (const Row& row : session.rows) {
        eachFile(row, [&](const Source& source) {
            if (fs::equivalent(source.file, target, code)) {
                throw Error("“" + target.string() + "” is the recording of “" + row.name +
                            "”: recordings are never written to; choose another name.");
            }
        });
    }
}

AudioBuffer renderMix(const Session& session, AudioStore& store, const RenderOptions& options,
                      RenderReport* out, const Progress& progress) {
    AudioBuffer audio{static_cast<double>(session.sampleRate), {{}, {}}};
    const auto sink = [&](std::span<const float> interleaved) {
        for (std::size_t i = 0; i < interleaved.size(); i += 2) {
            audio.channels[0].push_back(interleaved[i]);
            audio.channels[1].push_back(interleaved[i + 1]);
        }
    };
    const RenderReport result = renderInto(session, store, options, sink, out != nullptr, progress);
    if (out != nullptr) *out = result;
    return audio;
}

RenderReport renderToFiles(const Session& session, AudioStore& store, const RenderOptions& options,
                           const std::vector<MixFile>& files, const Progress& progress) {
    std::vector<std::unique_ptr<MixWriter>> writers;
    for (const MixFile& file : files) {
        protectSources(session, file.file);
        // A part of the song says where it begins.
        writers.push_back(
            std::make_unique<MixWriter>(file, session.sampleRate, std::max(0.0, options.from)));
    }
    const auto sink = [&](std::span<const float> x) {
        for (auto& writer : writers) writer->write(x);
    };
    RenderReport result = renderInto(session, store, options, sink, true, progress);
    for (auto& writer : writers) writer->finish();
    for (const MixFile& file : files) result.files.push_back(file.file);
    return result;
}

RenderReport renderToFile(const Session& session, AudioStore& store, const RenderOptions& options,
                          const fs::path& file, SampleDepth depth, const Progress& progress) {
    return renderToFiles(session, store, options, {{file, depth}}, progress);
}

}  // namespace ember
