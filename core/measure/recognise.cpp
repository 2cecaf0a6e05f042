#include "core/measure/recognise.h"

#include "core/measure/spectrum.h"

#include <algorithm>
#include <array>
#include <cctype>
#include <cmath>
#include <initializer_list>
#include <vector>

namespace ember {
namespace {

// Lower-case words and numbers of a name: "Kick_In02" -> kick, in, 02.
std::vector<std::string> wordsOf(std::string_view name) {
    std::vector<std::string> words;
    char before = ' ';
    for (const char c : name) {
        const auto kind = [](char x) {
            const auto u = static_cast<unsigned char>(x);
            return std::isdigit(u) != 0 ? 2 : (std::isalpha(u) != 0 || u >= 0x80 ? 1 : 0);
        };
        const bool camel = std::isupper(static_cast<unsigned char>(c)) != 0 &&
                           std::islower(static_cast<unsigned char>(before)) != 0;
        if (kind(c) != 0) {
            if (words.empty() || kind(c) != kind(before) || camel) words.emplace_back();
            words.back() += static_cast<char>(std::tolower(static_cast<unsigned char>(c)));
        }
        before = c;
    }
    return words;
}

class Words {
  public:
    explicit Words(std::string_view name) : words_(wordsOf(name)) {}
    [[nodiscard]] bool has(std::initializer_list<std::string_view> any) const {
        return std::any_of(words_.begin(), words_.end(), [&](const std::string& w) {
            return std::find(any.begin(), any.end(), w) != any.end();
        });
    }
    [[nodiscard]] bool has(std::string_view first, std::string_view second) const {
        for (std::size_t i = 1; i < words_.size(); ++i) {
            if (words_[i - 1] == first && words_[i] == second) return true;
        }
        return false;
    }
    // The last word that says left or right.
    [[nodiscard]] int side() const {
        for (auto w = words_.rbegin(); w != words_.rend(); ++w) {
            if (*w == "l" || *w == "left" || *w == "lft") return 0;
            if (*w == "r" || *w == "right" || *w == "rgt") return 1;
        }
        return -1;
    }

  private:
    std::vector<std::string> words_;
};

Role roleOf(const Words& w) {
    if (w.has({"ref", "reference", "master", "mastered", "bounce", "mixdown", "rough"}))
        return Role::reference;
    const bool inside = w.has({"in", "inside", "beater"});
    const bool outside = w.has({"out", "outside", "sub", "front", "reso"});
    if (w.has({"kick", "kik", "kck", "bd", "bassdrum"}) || w.has("bass", "drum")) {
        return inside ? Role::kickIn : (outside ? Role::kickOut : Role::kick);
    }
    if (w.has({"snare", "snr", "sn", "sd", "snt", "snb"})) {
        if (w.has({"bottom", "bot", "btm", "bttm", "under", "dn", "snb", "wires"}))
            return Role::snareBottom;
        return w.has({"top", "tp", "up", "over", "snt"}) ? Role::snareTop : Role::snare;
    }
    if (w.has({"hat", "hats", "hh", "hihat", "hihats"})) return Role::hat;
    const bool tom = w.has({"tom", "toms"});
    if (w.has({"floor", "ft"})) return Role::floorTom;
    if (w.has({"rack", "rt"})) return Role::rackTom;
    if (tom && w.has({"low", "lo"})) return Role::floorTom;
    if (tom && w.has({"high", "hi", "mid"})) return Role::rackTom;
    if (tom) return Role::tom;
    if (w.has({"ride"})) return Role::ride;
    if (w.has({"crash", "china", "splash", "cymbal", "cym"})) return Role::crash;
    if (w.has({"overhead", "overheads", "oh", "ohs", "ovh"})) return Role::overhead;
    if (w.has({"room", "rooms", "rm", "amb", "ambience", "ambient", "far", "hall"}))
        return Role::room;
    if (w.has({"clap", "claps", "shaker", "tambourine", "tamb", "perc", "percussion", "cowbell",
               "conga", "bongo", "rim", "snap"})) {
        return Role::percussion;
    }
    if (w.has({"bass", "bassgtr", "di"})) return Role::bass;
    if (w.has({"kit", "drums", "drum", "loop", "break", "drumloop"})) return Role::kit;
    return Role::unknown;
}

std::string withoutSide(std::string_view name) {
    std::string text(name);
    const auto cut = text.find_last_of(" _-.");
    if (cut == std::string::npos) return text;
    if (Words(text.substr(cut + 1)).side() < 0) return text;
    text.erase(cut);
    while (!text.empty() && std::string_view(" _-.").find(text.back()) != std::string_view::npos)
        text.pop_back();
    return text;
}

}  // namespace

Recognition recogniseName(std::string_view stem) {
    const Words words(stem);
    Recognition r;
    r.role = roleOf(words);
    r.side = words.side();
    r.base = r.side >= 0 ? withoutSide(stem) : std::string(stem);
    r.confidence = r.role == Role::unknown ? 0.0 : 0.9;
    if (r.role == Role::reference) r.kind = RowKind::reference;
    const bool guest = words.has({"guitar", "gtr", "vox", "vocal", "vocals", "keys", "piano",
                                  "synth", "organ", "strings", "brass"});
    if (r.role == Role::bass || guest) r.kind = RowKind::guest;
    if (guest && r.role != Role::bass) r.confidence = 0.7;
    return r;
}

SoundTraits soundTraits(const Clip& clip) {
    SoundTraits t;
    constexpr double kSeconds = 90.0;
    const auto rate = static_cast<double>(clip.sampleRate());
    const auto all = static_cast<std::size_t>(clip.frames());
    const auto frames = std::min(all, static_cast<std::size_t>(kSeconds * rate));
    const auto samples = clip.channel(0).first(frames);
    const auto step = static_cast<std::size_t>(0.010 * rate);
    std::vector<double> levels;
    for (std::size_t at = 0; at + step <= frames; at += step) {
        double sum = 0.0;
        for (std::size_t i = at; i < at + step; ++i)
            sum += static_cast<double>(samples[i]) * static_cast<double>(samples[i]);
        levels.push_back(10.0 * std::log10(sum / static_cast<double>(step) + 1e-12));
    }
    if (levels.size() < 20 || static_cast<double>(clip.facts().peak) < 3e-4) return t;
    std::vector<double> sorted = levels;
    std::sort(sorted.begin(), sorted.end());
    const double loud =
        sorted[static_cast<std::size_t>(0.995 * static_cast<double>(sorted.size() - 1))];
    // Rests say nothing about the sound.
    const auto heard = std::lower_bound(sorted.begin(), sorted.end(), loud - 60.0);
    t.spikiness = loud - heard[(sorted.end() - heard) / 2];
    SpectrumMeter meter(rate);
    int strokes = 0;
    for (std::size_t i = 0; i < levels.size(); ++i) {
        if (levels[i] < loud - 12.0) continue;
        const std::size_t from = (i > 2 ? i - 2 : 0) * step;
        if (from + SpectrumMeter::kLength > frames) break;
        meter.add(samples.subspan(from, SpectrumMeter::kLength));
        ++strokes;
        i += SpectrumMeter::kLength / step;
    }
    t.strokes = strokes / (static_cast<double>(frames) / rate);
    const std::array<double, 6> edges{20.0, 130.0, 450.0, 2500.0, 7000.0, 20000.0};
    std::array<double, 5> power{};
    double total = 0.0;
    for (std::size_t b = 0; b < 5; ++b) total += power[b] = meter.power(edges[b], edges[b + 1]);
    if (total <= 0.0) return t;
    t.silent = false;
    t.sub = power[0] / total;
    t.low = power[1] / total;
    t.middle = power[2] / total;
    t.high = power[3] / total;
    t.air = power[4] / total;
    const Spectrum spectrum = meter.result(12);
    const auto top = std::max_element(spectrum.level.begin(), spectrum.level.end());
    t.peakHz = spectrum.frequency[static_cast<std::size_t>(top - spectrum.level.begin())];
    return t;
}

Recognition recogniseSound(const SoundTraits& t, int channels) {
    Recognition r;
    if (t.silent) return r;
    const auto is = [&](Role role, double confidence) {
        r.role = role;
        r.confidence = confidence;
        return r;
    };
    const double bright = t.high + t.air, deep = t.sub + t.low;
    if (channels == 2) {
        // A pair is a picture of the whole kit; nearness tells overheads from rooms only roughly.
        return bright > 0.3 ? is(Role::overhead, 0.55) : is(Role::kit, 0.5);
    }
    if (t.sub > 0.6 && t.spikiness < 15.0) {
        is(Role::bass, 0.6);
        r.kind = RowKind::guest;
        return r;
    }
    if (bright > 0.45)
        return t.air > 0.55 * t.high && t.strokes > 2.4 ? is(Role::hat, 0.55) : is(Role::ride, 0.5);
    // The lowest mode tells heads apart: kicks lie below some 66 Hz, toms up to 160, snares above.
    if (deep > 0.8 && t.peakHz < 66.0) return is(Role::kick, 0.65);
    if (deep > 0.9 && t.peakHz < 160.0) return is(Role::tom, 0.55);
    if (t.low > 0.4 && t.peakHz >= 150.0 && t.peakHz < 300.0 && bright > 0.02)
        return is(Role::snare, 0.65);
    return r;
}

}  // namespace ember
