#include "core/audio/clip.h"

#include "core/audio/file.h"
#include "core/audio/resampler.h"

#include <fcntl.h>
#include <sys/mman.h>
#include <sys/stat.h>
#include <unistd.h>

#include <algorithm>
#include <array>
#include <atomic>
#include <cmath>
#include <cstring>

namespace ember {
namespace fs = std::filesystem;
namespace {

constexpr std::uint32_t kMagic = 0x454D4332;  // "EMC2": changes with the layout

// Layout of a cache file: header, planar float32 samples, level-0 bins by channel.
struct Header {
    std::uint32_t magic = 0;
    std::int32_t channels = 0, rate = 0, complete = 0;
    std::int64_t frames = 0;
    ClipFacts facts;
};

Frames binCount(Frames frames) {
    return (frames + Clip::kBinFrames - 1) / Clip::kBinFrames;
}

std::size_t cacheBytes(int channels, Frames frames) {
    return sizeof(Header) + static_cast<std::size_t>(channels) *
                                (static_cast<std::size_t>(frames) * sizeof(float) +
                                 static_cast<std::size_t>(binCount(frames)) * sizeof(WaveBin));
}

// A file descriptor with a writable mapping of known size. The blocks are reserved
// first: a full disk is then an error here and not a bus error while writing.
class WritableMap {
  public:
    WritableMap(const fs::path& path, std::size_t bytes) : bytes_(bytes) {
        fd_ = ::open(path.c_str(), O_RDWR | O_CREAT | O_TRUNC | O_CLOEXEC, 0644);
        if (fd_ < 0 || ::posix_fallocate(fd_, 0, static_cast<off_t>(bytes)) != 0) {
            if (fd_ >= 0) ::close(fd_);
            std::error_code ignored;
            fs::remove(path, ignored);
            throw Error("The cache in “" + path.parent_path().string() +
                        "” cannot take the decoded audio: free some disk space or set "
                        "EMBER_CASK_CACHE to another folder.");
        }
        data_ = ::mmap(nullptr, bytes, PROT_READ | PROT_WRITE, MAP_SHARED, fd_, 0);
        if (data_ == MAP_FAILED) {
            ::close(fd_);
            throw Error("“" + path.string() + "” cannot be mapped into memory.");
        }
    }
    ~WritableMap() {
        ::munmap(data_, bytes_);
        ::close(fd_);
    }
    WritableMap(const WritableMap&) = delete;
    WritableMap& operator=(const WritableMap&) = delete;
    [[nodiscard]] char* data() const { return static_cast<char*>(data_); }

  private:
    std::size_t bytes_;
    int fd_ = -1;
    void* data_ = nullptr;
};

// Interleaved samples in, planar samples out, with everything worth noticing noticed.
class Collector {
  public:
    Collector(float* planar, Frames capacity, int channels)
        : planar_(planar),
          capacity_(capacity),
          channels_(channels),
          run_(static_cast<std::size_t>(channels)),
          sum_(static_cast<std::size_t>(channels)) {}

    // Source samples, before any rate conversion.
    void inspect(std::span<float> interleaved) {
        for (std::size_t i = 0; i < interleaved.size(); ++i) {
            float& x = interleaved[i];
            if (!std::isfinite(x)) {
                x = 0.0F;
                ++facts.nonFinite;
            }
            const auto c = i % static_cast<std::size_t>(channels_);
            const float magnitude = std::abs(x);
            facts.peak = std::max(facts.peak, magnitude);
            run_[c] = magnitude >= 0.9999F ? run_[c] + 1 : 0;
            if (run_[c] == 3) ++facts.clippedRuns;
            sum_[c] += x;
            energy_ += static_cast<double>(x) * x;
        }
        if (channels_ >= 2) {
            for (std::size_t i = 0; i + 1 < interleaved.size();
                 i += static_cast<std::size_t>(channels_)) {
                const double l = interleaved[i], r = interleaved[i + 1];
                cross_ += l * r;
                left_ += l * l;
                right_ += r * r;
            }
        }
        inspected_ += static_cast<Frames>(interleaved.size()) / channels_;
    }
    void store(std::span<const float> interleaved) {
        const auto frames = static_cast<Frames>(interleaved.size()) / channels_;
        const Frames take = std::min(frames, capacity_ - written);
        for (int c = 0; c < channels_; ++c) {
            float* out = planar_ +
                         static_cast<std::size_t>(c) * static_cast<std::size_t>(capacity_) +
                         written;
            for (Frames i = 0; i < take; ++i)
                out[i] = interleaved[static_cast<std::size_t>(i * channels_ + c)];
        }
        written += take;
    }
    void conclude() {
        const double n = std::max<double>(1.0, static_cast<double>(inspected_));
        facts.meanSquare = static_cast<float>(energy_ / n / channels_);
        for (const double s : sum_)
            facts.dc = std::max(facts.dc, static_cast<float>(std::abs(s / n)));
        if (channels_ >= 2 && left_ > 0.0 && right_ > 0.0) {
            facts.correlation = static_cast<float>(cross_ / std::sqrt(left_ * right_));
        }
    }

    ClipFacts facts;
    Frames written = 0;

  private:
    float* planar_;
    Frames capacity_;
    int channels_;
    std::vector<int> run_;
    std::vector<double> sum_;
    double energy_ = 0.0, cross_ = 0.0, left_ = 0.0, right_ = 0.0;
    Frames inspected_ = 0;
};

void binChannel(const float* samples, Frames frames, WaveBin* bins) {
    for (Frames b = 0; b < binCount(frames); ++b) {
        const Frames end = std::min(frames, (b + 1) * Clip::kBinFrames);
        WaveBin bin{samples[b * Clip::kBinFrames], samples[b * Clip::kBinFrames], 0.0F};
        double energy = 0.0;
        for (Frames i = b * Clip::kBinFrames; i < end; ++i) {
            bin.low = std::min(bin.low, samples[i]);
            bin.high = std::max(bin.high, samples[i]);
            energy += static_cast<double>(samples[i]) * samples[i];
        }
        bin.meanSquare =
            static_cast<float>(energy / static_cast<double>(end - b * Clip::kBinFrames));
        bins[b] = bin;
    }
}

void decode(const fs::path& source, int rate, const fs::path& part, const Progress& progress) {
    AudioReader reader(source);
    AudioFileInfo info = reader.info();
    // Room is made for what a header promises; one that promises more than seems possible is
    // counted first. Silence compresses well: the count decides, not the ratio.
    std::error_code code;
    const Frames promised = info.frames;
    if (static_cast<std::uintmax_t>(info.frames) > fs::file_size(source, code) * 64)
        info.frames = std::max<Frames>(1, soundFrames(source));
    const bool convert = info.sampleRate != rate;
    const Frames frames =
        convert ? (info.frames * rate + info.sampleRate - 1) / info.sampleRate : info.frames;
    const WritableMap map(part, cacheBytes(info.channels, frames));
    auto* samples = reinterpret_cast<float*>(map.data() + sizeof(Header));
    Collector collector(samples, frames, info.channels);
    std::unique_ptr<Resampler> resampler;
    if (convert) resampler = std::make_unique<Resampler>(info.sampleRate, rate, info.channels);
    const auto keep = [&](std::span<const float> converted) { collector.store(converted); };

    std::vector<float> piece(static_cast<std::size_t>(info.channels) * 65536);
    Frames done = 0;
    while (const Frames got = reader.read(piece)) {
        const std::span<float> part1(piece.data(), static_cast<std::size_t>(got * info.channels));
        collector.inspect(part1);
        if (resampler) {
            resampler->push(part1, keep);
        } else {
            collector.store(part1);
        }
        done += got;
        report(progress, static_cast<double>(done) / static_cast<double>(info.frames),
               source.filename().string());
    }
    if (done == 0) {
        throw Error("“" + source.filename().string() +
                    "” ends before its first sample: export it again.");
    }
    if (done < promised || reader.broken())
        collector.facts.missingFrom =
            static_cast<double>(reader.broken() ? soundFrames(source) : done) / info.sampleRate;
    if (resampler) resampler->finish(keep);
    collector.conclude();
    auto* bins = reinterpret_cast<WaveBin*>(samples + static_cast<std::size_t>(info.channels) *
                                                          static_cast<std::size_t>(frames));
    for (int c = 0; c < info.channels; ++c) {
        binChannel(samples + static_cast<std::size_t>(c) * static_cast<std::size_t>(frames), frames,
                   bins + c * binCount(frames));
    }
    const Header header{kMagic, info.channels, rate, 1, frames, collector.facts};
    std::memcpy(map.data(), &header, sizeof(header));
}

}  // namespace

std::shared_ptr<const Clip> Clip::open(const fs::path& source, int rate, const fs::path& cacheFile,
                                       const Progress& progress) {
    const std::shared_ptr<Clip> clip(new Clip);
    if (clip->map(cacheFile)) return clip;
    // A name of its own for every decoding: other stores and programs may be at the same recording.
    static std::atomic<int> count{0};
    const fs::path part = cacheFile.string() + "." + std::to_string(::getpid()) + "-" +
                          std::to_string(count.fetch_add(1)) + ".part";
    try {
        decode(source, rate, part, progress);
        fs::rename(part, cacheFile);
    } catch (...) {
        std::error_code ignored;
        fs::remove(part, ignored);
        throw;
    }
    if (!clip->map(cacheFile)) {
        throw Error("The decoded form of “" + source.filename().string() +
                    "” cannot be read back from the cache.");
    }
    return clip;
}

bool Clip::map(const fs::path& cacheFile) {
    const int fd = ::open(cacheFile.c_str(), O_RDONLY | O_CLOEXEC);
    if (fd < 0) return false;
    struct stat status {};
    Header header;
    const bool readable =
        ::fstat(fd, &status) == 0 &&
        ::pread(fd, &header, sizeof(header), 0) == static_cast<ssize_t>(sizeof(header)) &&
        header.magic == kMagic && header.complete == 1 && header.channels > 0 &&
        static_cast<std::size_t>(status.st_size) == cacheBytes(header.channels, header.frames);
    if (readable) {
        mappingBytes_ = static_cast<std::size_t>(status.st_size);
        mapping_ = ::mmap(nullptr, mappingBytes_, PROT_READ, MAP_SHARED, fd, 0);
    }
    ::close(fd);
    if (!readable || mapping_ == MAP_FAILED) {
        mapping_ = nullptr;
        return false;
    }
    channels_ = header.channels;
    rate_ = header.rate;
    frames_ = header.frames;
    facts_ = header.facts;
    samples_ = reinterpret_cast<const float*>(static_cast<const char*>(mapping_) + sizeof(Header));
    const auto* stored = reinterpret_cast<const WaveBin*>(
        samples_ + static_cast<std::size_t>(channels_) * static_cast<std::size_t>(frames_));
    for (int c = 0; c < channels_; ++c) {
        auto& levels = pyramid_.emplace_back();
        levels.emplace_back(stored + c * binCount(frames_), stored + (c + 1) * binCount(frames_));
        while (levels.back().size() > 64) {
            const auto& fine = levels.back();
            std::vector<WaveBin> coarse;
            for (std::size_t i = 0; i < fine.size(); i += kBinFactor) {
                WaveBin bin = fine[i];
                std::size_t n = 1;
                for (; n < kBinFactor && i + n < fine.size(); ++n) {
                    bin.low = std::min(bin.low, fine[i + n].low);
                    bin.high = std::max(bin.high, fine[i + n].high);
                    bin.meanSquare += fine[i + n].meanSquare;
                }
                bin.meanSquare /= static_cast<float>(n);
                coarse.push_back(bin);
            }
            levels.push_back(std::move(coarse));
        }
    }
    return true;
}

Clip::~Clip() {
    if (mapping_ != nullptr) ::munmap(mapping_, mappingBytes_);
}

std::span<const float> Clip::channel(int index) const {
    return {samples_ + static_cast<std::size_t>(index) * static_cast<std::size_t>(frames_),
            static_cast<std::size_t>(frames_)};
}

std::span<const WaveBin> Clip::bins(int channel, int level) const {
    const auto& levels = pyramid_[static_cast<std::size_t>(channel)];
    return levels[std::min(static_cast<std::size_t>(std::max(level, 0)), levels.size() - 1)];
}

int Clip::levels() const {
    return pyramid_.empty() ? 0 : static_cast<int>(pyramid_[0].size());
}

WaveBin Clip::summary(int channel, Frames from, Frames to) const {
    from = std::clamp<Frames>(from, 0, frames_);
    to = std::clamp<Frames>(to, 0, frames_);
    if (from >= to) return {};
    WaveBin total{1e30F, -1e30F, 0.0F};
    double energy = 0.0, count = 0.0;
    if (to - from < 2 * kBinFrames) {
        const auto samples = this->channel(channel);
        for (Frames i = from; i < to; ++i) {
            const float x = samples[static_cast<std::size_t>(i)];
            total.low = std::min(total.low, x);
            total.high = std::max(total.high, x);
            energy += static_cast<double>(x) * x;
        }
        count = static_cast<double>(to - from);
    } else {
        int level = 0;
        Frames width = kBinFrames;
        while (level + 1 < levels() && width * kBinFactor * 2 <= to - from) {
            ++level;
            width *= kBinFactor;
        }
        const auto row = bins(channel, level);
        const Frames last =
            std::min<Frames>(static_cast<Frames>(row.size()), (to + width - 1) / width);
        for (Frames b = from / width; b < last; ++b) {
            const WaveBin& bin = row[static_cast<std::size_t>(b)];
            total.low = std::min(total.low, bin.low);
            total.high = std::max(total.high, bin.high);
            energy += bin.meanSquare;
            count += 1.0;
        }
    }
    total.meanSquare = static_cast<float>(energy / std::max(count, 1.0));
    return total;
}

void Clip::prefetch(Frames from, Frames to) const {
    from = std::clamp<Frames>(from, 0, frames_);
    to = std::clamp<Frames>(to, 0, frames_);
    const auto page = static_cast<std::size_t>(::sysconf(_SC_PAGESIZE));
    volatile char sink = 0;
    for (int c = 0; c < channels_ && from < to; ++c) {
        const auto* begin = reinterpret_cast<const char*>(channel(c).data() + from);
        const auto* end = reinterpret_cast<const char*>(channel(c).data() + to);
        for (const char* at = begin; at < end; at += page) sink = *at;
    }
    (void)sink;
}

void Clip::hold(std::span<const FrameSpan> stretches) const {
    // Several sides play one clip: each asks.
    if (std::equal(stretches.begin(), stretches.end(), held_.begin(), held_.end())) return;
    // mlock() takes whole pages: of the one a stretch begins in, too.
    const auto each = [this](const FrameSpan& s, auto&& work) {
        const auto page = static_cast<std::uintptr_t>(::sysconf(_SC_PAGESIZE));
        const Frames from = std::clamp<Frames>(s.from, 0, frames_),
                     to = std::clamp<Frames>(s.to, 0, frames_);
        for (int c = 0; c < channels_ && from < to; ++c) {
            const auto first = reinterpret_cast<std::uintptr_t>(channel(c).data() + from);
            const auto begin = first / page * page;
            work(reinterpret_cast<const void*>(begin),
                 first + static_cast<std::size_t>(to - from) * sizeof(float) - begin);
        }
    };
    for (const FrameSpan& s : held_)
        each(s, [](const void* at, std::size_t bytes) { ::munlock(at, bytes); });
    held_.assign(stretches.begin(), stretches.end());
    for (const FrameSpan& s : held_)
        each(s, [](const void* at, std::size_t bytes) { ::mlock(at, bytes); });
}

}  // namespace ember
