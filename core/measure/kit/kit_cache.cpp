#include "core/measure/kit/kit_cache.h"

#include "core/base/archive.h"
#include "core/base/error.h"

#include <concepts>
#include <type_traits>

namespace ember {
namespace {

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
        each(p.drum, p.mic, p.reference, p.delaySamples, p.delaySure, p.polarity, p.coherence,
             p.mainHertz, p.strokes, p.levelDb, p.bands);
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

template <typename T>
std::optional<T> load(const std::filesystem::path& file) {
    const auto bytes = loadArchive(file);
    if (!bytes) return std::nullopt;
    T value;
    try {
        Reader reader(*bytes);
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
    keepArchive(file, writer.bytes());
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
