#include "core/measure/kit/kit_cache.h"

#include "core/base/error.h"
#include "core/base/hash.h"

#include <concepts>
#include <cstring>
#include <fstream>
#include <type_traits>

namespace ember {
namespace {

constexpr std::size_t kHash = 32;  // characters of the checksum in front

template <typename T>
concept Plain = std::is_arithmetic_v<T> || std::is_enum_v<T>;

// Each type's members in order, once for reading and writing.
template <typename Archive>
class Members {
  public:
    explicit Members(Archive& archive) : all_(archive) {}

    void operator()(auto& v) const requires Plain<std::remove_cvref_t<decltype(v)>> {
        all_.raw(&v, sizeof v);
    }
    void operator()(
        auto& v) const requires std::same_as<std::remove_cvref_t<decltype(v)>, std::string> {
        all_.resize(v);
        all_.raw(v.data(), v.size());
    }
    template <typename T>
    void operator()(std::vector<T>& v) const {
        all_.resize(v);
        for (T& item : v) (*this)(item);
    }
    void operator()(Stroke& s) const {
        each(s.time, s.drum, s.mic, s.velocity, s.levelDb, s.kind, s.confidence, s.byHand);
    }
    void operator()(BleedMark& b) const { each(b.time, b.mic, b.drum, b.levelDb); }
    void operator()(KitStrokes& k) const { each(k.strokes, k.bleed); }
    void operator()(BleedLevel& b) const { each(b.drum, b.mic, b.peakDb, b.relativeDb, b.strokes); }
    void operator()(Separation& s) const {
        each(s.drum, s.mic, s.highPass, s.lowPass, s.ownDb, s.ghostDb, s.bleedDb, s.marginDb);
    }
    void operator()(BandSum& b) const { each(b.hertz, b.nowDb, b.alignedDb); }
    void operator()(PhasePair& p) const {
        each(p.drum, p.mic, p.reference, p.delaySamples, p.polarity, p.coherence, p.mainHertz,
             p.strokes, p.levelDb, p.bands);
    }
    void operator()(Spectrum& s) const { each(s.frequency, s.level); }
    void operator()(Ring& r) const { each(r.hertz, r.prominenceDb, r.t60, r.share, r.levelDb); }
    void operator()(BandDecay& d) const { each(d.hertz, d.t60); }
    void operator()(DrumTone& t) const {
        each(t.drum, t.mic, t.strokes, t.median, t.spread, t.fundamental, t.fundamentalConfidence,
             t.glide, t.lowestHertz, t.highestHertz, t.bodyDb, t.mudDb, t.attackDb, t.airDb,
             t.brightness, t.brightnessSlope, t.rings, t.riseMs, t.transientMs, t.decayT60,
             t.bodySeconds, t.decays, t.shortestGap, t.crestDb, t.transientToBodyDb,
             t.levelSpreadDb, t.typical);
    }
    void operator()(Sympathy& s) const {
        each(s.drum, s.mic, s.struck, s.wires, s.hertz, s.relativeDb, s.worstAt, s.strokes);
    }
    void operator()(DrumImage& i) const { each(i.drum, i.pair, i.pan, i.spread, i.strokes); }
    void operator()(DrumTiming& t) const { each(t.drum, t.strokes, t.offsetMs, t.spreadMs); }
    void operator()(DriftPoint& d) const { each(d.time, d.offsetMs); }
    void operator()(KitTiming& t) const {
        each(t.bpm, t.confidence, t.firstBar, t.barConfidence, t.alternatives, t.drums, t.drift);
    }
    void operator()(BandWidth& w) const { each(w.hertz, w.sideToMidDb); }
    void operator()(SignalLevels& l) const {
        each(l.row, l.integrated, l.maxShortTerm, l.truePeak, l.crestDb, l.spectrum, l.rumbleDb,
             l.correlation, l.monoLossDb, l.width);
    }
    void operator()(KitMeasurement& m) const {
        each(m.found, m.strokes, m.bleed, m.separation, m.phase, m.tone, m.twins, m.sympathy,
             m.image, m.timing, m.levels);
    }

  private:
    void each(auto&... members) const { ((*this)(members), ...); }
    Archive& all_;
};

class Writer {
  public:
    void raw(const void* data, std::size_t size) {
        bytes_.append(static_cast<const char*>(data), size);
    }
    void resize(const auto& list) {
        const std::size_t size = list.size();
        raw(&size, sizeof size);
    }
    [[nodiscard]] const std::string& bytes() const { return bytes_; }

  private:
    std::string bytes_;
};

class Reader {
  public:
    explicit Reader(std::string_view bytes) : bytes_(bytes) {}
    void raw(void* data, std::size_t size) {
        if (size > bytes_.size() - at_) throw Error("The cached measurement is cut short.");
        std::memcpy(data, bytes_.data() + at_, size);
        at_ += size;
    }
    void resize(auto& list) {
        std::size_t size = 0;
        raw(&size, sizeof size);
        if (size > bytes_.size()) throw Error("The cached measurement is damaged.");
        list.resize(size);
    }

  private:
    std::string_view bytes_;
    std::size_t at_ = 0;
};

template <typename T>
std::optional<T> load(const std::filesystem::path& file) {
    std::ifstream in(file, std::ios::binary);
    const std::string all((std::istreambuf_iterator<char>(in)), {});
    if (all.size() < kHash) return std::nullopt;
    const std::string_view bytes = std::string_view(all).substr(kHash);
    if (hashBytes(bytes) != all.substr(0, kHash)) return std::nullopt;
    T value;
    try {
        Reader reader(bytes);
        Members{reader}(value);
    } catch (const Error&) {
        return std::nullopt;
    }
    return value;
}

template <typename T>
void keep(const std::filesystem::path& file, T value) {
    Writer writer;
    Members{writer}(value);
    const std::filesystem::path part = file.string() + ".part";
    std::ofstream out(part, std::ios::binary);
    out << hashBytes(writer.bytes()) << writer.bytes();
    out.close();
    std::error_code code;
    if (out) {
        std::filesystem::rename(part, file, code);
    } else {
        std::filesystem::remove(part, code);
    }
}

}  // namespace

std::optional<KitStrokes> loadStrokes(const std::filesystem::path& file) {
    return load<KitStrokes>(file);
}
std::optional<KitMeasurement> loadMeasurement(const std::filesystem::path& file) {
    return load<KitMeasurement>(file);
}
void keepStrokes(const std::filesystem::path& file, const KitStrokes& strokes) {
    keep(file, strokes);
}
void keepMeasurement(const std::filesystem::path& file, const KitMeasurement& measurement) {
    keep(file, measurement);
}

}  // namespace ember
