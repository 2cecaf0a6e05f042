#include "core/measure/kit/spots.h"

#include "core/base/error.h"
#include "core/base/number.h"

#include <algorithm>
#include <cmath>
#include <functional>
#include <map>
#include <optional>

namespace ember {
namespace {

constexpr double kBeforeStroke = 0.12;  // seconds heard before a stroke that is looped alone
constexpr double kHumsDb = -30.0;       // against the drum's own strokes
constexpr double kAloneAtLeast = 0.25;  // seconds without another drum

class Finder {
  public:
    Finder(const Session& session, const KitMeasurement& measured, AudioStore& store)
        : session_(session),
          measured_(measured),
          strokes_(measured.strokes.strokes),
          store_(store) {
        for (const Stroke& s : strokes_) {
            byDrum_[s.drum].push_back(&s);
            last_ = std::max(last_, barAt(session.time, s.time));
        }
    }

    std::vector<FoundSpot> run() {
        for (const auto& [drum, list] : byDrum_) addDrum(drum, list);
        addDense(
            SpotKind::busiest, {}, "Busiest bar", 1, [](const Stroke&) { return 1.0; },
            "stroke of all drums", "strokes of all drums");
        addFill();
        addCymbals();
        addBass();
        addQuietest();
        addHumming();
        std::stable_sort(out_.begin(), out_.end(),
                         [](const FoundSpot& a, const FoundSpot& b) { return a.kind < b.kind; });
        return std::move(out_);
    }

  private:
    using List = std::vector<const Stroke*>;
    using Weight = std::function<double(const Stroke&)>;

    struct Best {
        double from = 0.0, to = 0.0, weight = 0.0;
        int count = 0;
    };

    // Of all windows of `bars` that begin on a beat, the one that weighs most.
    std::optional<Best> densest(int bars, const Weight& weight) const {
        Best best;
        std::size_t first = 0;
        const TimeMap& time = session_.time;
        for (int bar = 0; bar <= last_; ++bar) {
            for (int beat = 0; beat < metreAt(time, bar).beats; ++beat) {
                const double from = secondsAt(time, BarPlace{bar, 1.0 * beat}),
                             to = barsLater(time, from, bars);
                while (first < strokes_.size() && strokes_[first].time < from - 0.03) ++first;
                double sum = 0.0;
                int count = 0;
                for (std::size_t i = first; i < strokes_.size() && strokes_[i].time < to - 0.03;
                     ++i) {
                    const double w = weight(strokes_[i]);
                    sum += w;
                    count += w > 0.0 ? 1 : 0;
                }
                if (sum > best.weight) best = {from, to, sum, count};
            }
        }
        if (best.weight <= 0.0) return std::nullopt;
        return best;
    }

    void add(SpotKind kind, const std::string& drum, const std::string& name, double from,
             double to, const std::string& reason) {
        out_.push_back({kind, drum, {name, std::max(0.0, from), to}, reason});
    }

    void addDense(SpotKind kind, const std::string& drum, const std::string& name, int bars,
                  const Weight& weight, const char* one, const char* many) {
        if (const auto best = densest(bars, weight))
            add(kind, drum, name, best->from, best->to,
                std::to_string(best->count) + " " + (best->count == 1 ? one : many));
    }

    void addDrum(const std::string& drum, const List& list) {
        // Loud strokes count by their energy, so that one accent outweighs many soft ones.
        addDense(
            SpotKind::loudest, drum, "Loudest " + name(drum), 1,
            [&](const Stroke& s) { return s.drum == drum ? std::pow(10.0, s.levelDb / 5.0) : 0.0; },
            "stroke, the loudest bar of it", "strokes, the loudest bar of it");
        addDense(
            SpotKind::ghosts, drum, "Ghost notes, " + name(drum), 1,
            [&](const Stroke& s) {
                return s.drum == drum && s.kind == StrokeKind::ghost ? 1.0 : 0.0;
            },
            "ghost note", "ghost notes");
        addAlone(drum, list);
    }

    void addAlone(const std::string& drum, const List& list) {
        double best = kAloneAtLeast, at = 0.0, until = 0.0;
        for (const Stroke* s : list) {
            if (s->kind == StrokeKind::ghost || s->kind == StrokeKind::flam) continue;
            const double bar = barsLater(session_.time, s->time, 1) - s->time;
            double before = bar, after = bar;
            for (const Stroke& other : strokes_) {
                if (&other == s) continue;
                if (other.time <= s->time) before = std::min(before, s->time - other.time);
                if (other.time > s->time) {
                    after = other.time - s->time;
                    break;
                }
            }
            const double free = std::min(after, 2.0 * before + 0.3);
            if (free > best) {
                best = free;
                at = s->time;
                until = at + std::min(after, bar);
            }
        }
        if (until <= 0.0) return;
        add(SpotKind::alone, drum, "Alone, " + name(drum), at - kBeforeStroke, until,
            "nothing else for " + numberText(1e3 * (until - at), 0) + " ms");
    }

    void addFill() {
        addDense(
            SpotKind::fill, {}, "Tom fill", 1,
            [](const Stroke& s) { return isTom(s.drum) ? 1.0 : 0.0; }, "tom stroke", "tom strokes");
    }

    void addCymbals() {
        addDense(
            SpotKind::cymbals, {}, "Densest cymbals", 2,
            [](const Stroke& s) {
                return isMetal(s.drum)
                           ? (drumFamily(s.drum) == DrumFamily::cymbal ? 2.0 : 1.0) * s.velocity
                           : 0.0;
            },
            "stroke of cymbals and hi-hat", "strokes of cymbals and hi-hat");
    }

    // Mean square of the rows over a span, summed; 0 where nothing can be read.
    double energy(RowKind kind, double from, double to) {
        double sum = 0.0;
        for (const Row& row : session_.rows) {
            if (row.kind != kind) continue;
            for (const Source& source : row.sources) {
                if (const Clip* clip = open(source); clip != nullptr) {
                    const double rate = session_.sampleRate;
                    const auto first = static_cast<Frames>((from - source.offset) * rate),
                               last = static_cast<Frames>((to - source.offset) * rate);
                    if (last <= 0 || first >= clip->frames()) continue;
                    const WaveBin bin = clip->summary(source.channel, std::max<Frames>(0, first),
                                                      std::min(last, clip->frames()));
                    sum += static_cast<double>(bin.meanSquare);
                }
            }
        }
        return sum;
    }

    const Clip* open(const Source& source) {
        const auto [at, fresh] = clips_.try_emplace(source.file);
        if (fresh) {
            try {
                at->second = store_.open(source.file, session_.sampleRate);
            } catch (const Cancelled&) {
                throw;
            } catch (const Error&) {
                // Said where the row is played; a spot can do without it.
            }
        }
        const Clip* clip = at->second.get();
        return clip != nullptr && source.channel < clip->channels() ? clip : nullptr;
    }

    void addBass() {
        double best = 0.0, from = 0.0, until = 0.0;
        int kicks = 0;
        for (int bar = 0; bar <= last_; ++bar) {
            const double at = secondsOfBar(session_.time, bar),
                         end = secondsOfBar(session_.time, bar + 1);
            int count = 0;
            if (const auto kick = byDrum_.find("kick"); kick != byDrum_.end())
                count = static_cast<int>(std::count_if(
                    kick->second.begin(), kick->second.end(),
                    [&](const Stroke* s) { return s->time >= at - 0.03 && s->time < end - 0.03; }));
            const double weight = count * energy(RowKind::guest, at, end);
            if (weight > best) {
                best = weight;
                from = at;
                until = end;
                kicks = count;
            }
        }
        if (best > 0.0)
            add(SpotKind::withBass, "kick", "Kick with bass", from, until,
                std::to_string(kicks) + " kick strokes over the loudest bass");
    }

    void addQuietest() {
        double least = 0.0, from = -1.0, until = 0.0;
        std::size_t i = 0;
        for (int bar = 0; bar <= last_; ++bar) {
            const double at = secondsOfBar(session_.time, bar),
                         end = secondsOfBar(session_.time, bar + 1);
            while (i < strokes_.size() && strokes_[i].time < at - 0.03) ++i;
            if (i >= strokes_.size() || strokes_[i].time >= end - 0.03) continue;
            const double level = energy(RowKind::element, at, end);
            if (level > 0.0 && (from < 0.0 || level < least)) {
                least = level;
                from = at;
                until = end;
            }
        }
        if (from >= 0.0)
            add(SpotKind::quietest, {}, "Quietest bar", from, until,
                "the least energy in which something is played");
    }

    void addHumming() {
        for (const Sympathy& s : measured_.sympathy) {
            const bool known = std::any_of(out_.begin(), out_.end(), [&](const FoundSpot& f) {
                return f.kind == SpotKind::humming && f.drum == s.drum;
            });
            if (known || s.relativeDb < kHumsDb) continue;
            const Sympathy* worst = &s;
            for (const Sympathy& other : measured_.sympathy) {
                if (other.drum == s.drum && other.relativeDb > worst->relativeDb) worst = &other;
            }
            const std::string reason =
                (worst->wires ? "wires buzz after " : "the head hums after ") +
                name(worst->struck) + ", " + numberText(-worst->relativeDb, 0) +
                " dB under its own strokes";
            add(SpotKind::humming, s.drum,
                (worst->wires ? "Buzzing wires, " : "Humming head, ") + name(s.drum),
                worst->worstAt - kBeforeStroke, barsLater(session_.time, worst->worstAt, 1),
                reason);
        }
    }

    [[nodiscard]] std::string name(const std::string& drum) const {
        return drumName(session_, drum);
    }

    const Session& session_;
    const KitMeasurement& measured_;
    const std::vector<Stroke>& strokes_;
    AudioStore& store_;
    int last_ = 0;  // bar of the last stroke
    std::map<std::string, List> byDrum_;
    std::map<std::string, std::shared_ptr<const Clip>> clips_;
    std::vector<FoundSpot> out_;
};

// The kinds on which a decision of this step is heard, best first.
std::vector<SpotKind> usefulFor(Column column) {
    switch (column) {
        case Column::align:
            return {SpotKind::alone, SpotKind::loudest};
        case Column::gate:
            return {SpotKind::ghosts, SpotKind::humming, SpotKind::fill, SpotKind::cymbals,
                    SpotKind::alone};
        case Column::repair:
            return {SpotKind::alone, SpotKind::loudest, SpotKind::humming, SpotKind::withBass};
        case Column::dynamics:
            return {SpotKind::loudest, SpotKind::ghosts, SpotKind::fill, SpotKind::quietest};
        default:
            return {SpotKind::loudest, SpotKind::fill, SpotKind::withBass, SpotKind::cymbals,
                    SpotKind::quietest};
    }
}

}  // namespace

std::vector<FoundSpot> findSpots(const Session& session, const KitMeasurement& measured,
                                 AudioStore& store) {
    return Finder(session, measured, store).run();
}

std::vector<FoundSpot> spotsFor(std::vector<FoundSpot> spots, const Session& session,
                                const std::string& row, Column column) {
    for (const Spot& own : session.spots)
        spots.push_back({SpotKind::own, {}, own, "noted by hand"});
    const std::string drum = drumOfRow(session, row);
    const std::vector<SpotKind> useful = usefulFor(column);
    const auto rank = [&](const FoundSpot& s) {
        if (s.kind == SpotKind::own) return -1;
        const auto at = std::find(useful.begin(), useful.end(), s.kind);
        const int place = static_cast<int>(at - useful.begin());
        const bool mine = s.drum == drum;
        // A fill is about toms, cymbals about metal; everything else of another drum is of no use.
        const bool kitWide = s.drum.empty() || drum.empty();
        return (at == useful.end() ? 40 : 0) + (mine ? 0 : (kitWide ? 10 : 80)) + place;
    };
    std::stable_sort(spots.begin(), spots.end(),
                     [&](const FoundSpot& a, const FoundSpot& b) { return rank(a) < rank(b); });
    return spots;
}

}  // namespace ember
