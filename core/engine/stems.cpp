// Stems: every element before its bus, and carried through its buses.
//
// The buses of the full mix run once. Beside them every element has a shadow of every bus that it
// comes into, by its bus or by sends, whose level-driven processors do not listen but apply the
// gain the full mix caused in the same block. As long as every bus processor is linear once its
// gain is given, the shadows sum to the mix; the residue is measured and reported either way.
//
// Every way from an element to main either has no send on it, or a last one. So the ways without
// sends of all elements and, of every bus that is sent to, the ways that begin with its sends and
// have none after it, are each sound once: they sum to the mix too.

#include "core/base/error.h"
#include "core/dsp/delay_line.h"
#include "core/dsp/seat.h"
#include "core/engine/render_span.h"
#include "core/engine/stem_files.h"
#include "core/session/graph.h"
#include "core/session/kit.h"
#include "core/session/split.h"

#include <algorithm>
#include <cmath>
#include <map>

namespace ember {
namespace fs = std::filesystem;
namespace {

struct ShadowStage {
    std::unique_ptr<Processor> processor;
    DelayLine dry;
    bool begun = false;
};

// A part of what a bus holds.
struct ShadowBus {
    struct Input {
        Plan::Input edge;
        std::size_t place = 0;           // among what the bus is fed
        const ShadowBus* bus = nullptr;  // the shadow it comes from; null: the row itself
        DelayLine wait;
    };
    int row = 0;  // of the plan
    std::vector<Input> inputs;
    std::vector<ShadowStage> stages;
    float signal[2][kBlock] = {}, beforeFader[2][kBlock] = {};
};

// Adds a block to a sum as the plan's edge does, which is input `place` of `row`: it stands still,
// or follows curves.
template <typename Sum>
void addEdge(const Plan& plan, int row, std::size_t place, const Plan::Input& edge, DelayLine& wait,
             const float* const (&from)[2], Sum (&sum)[2][kBlock]) {
    float copy[2][kBlock];
    for (int c = 0; c < 2; ++c) std::copy_n(from[c], kBlock, copy[c]);
    wait.process({{copy[0], copy[1]}, 2, kBlock});
    for (int c = 0; c < 2; ++c) {
        const float* followed = plan.followed(row, place, c);
        const auto still = static_cast<float>(c == 0 ? edge.left : edge.right);
        for (int k = 0; k < kBlock; ++k)
            sum[c][k] += static_cast<Sum>((followed != nullptr ? followed[k] : still) * copy[c][k]);
    }
}

// A part of the mix: an element by all its ways or by those without sends; or what a bus is sent,
// by its ways without sends.
struct Part {
    enum class Ways { all, dry, returned };
    int row = 0;  // of the plan
    Ways ways = Ways::all;
};

class StemObserver : public PlanObserver {
  public:
    void build(const Plan& plan, const Session& session, const std::vector<Part>& parts) {
        plan_ = &plan;
        session_ = &session;
        const int main = plan.rowIndex(mainRow(session));
        for (const Part& part : parts) {
            trees_.emplace_back();
            mains_.push_back(grow(trees_.back(), part, main));
        }
    }

    void stageDone(int row, int stage, int, const AudioBlock&, const AudioBlock&,
                   const Processor& master, bool on) override {
        for (const Tree& tree : trees_) {
            if (const auto bus = tree.find(row); bus != tree.end() && bus->second)
                advance(*bus->second, stage, master, on);
        }
    }

    // A part of the mix in this block.
    [[nodiscard]] const float* output(std::size_t part, int channel) const {
        const ShadowBus* main = mains_[part];
        return main != nullptr ? main->signal[channel] : nothing_;
    }
    [[nodiscard]] bool exact() const { return exact_; }

  private:
    // By row of the plan; null where the element does not come.
    using Tree = std::map<int, std::unique_ptr<ShadowBus>>;

    ShadowBus* grow(Tree& tree, const Part& part, int row) {
        if (const auto known = tree.find(row); known != tree.end()) return known->second.get();
        auto bus = std::make_unique<ShadowBus>();
        bus->row = row;
        const std::vector<Plan::Input> edges = plan_->inputs(row);
        for (std::size_t place = 0; place < edges.size(); ++place) {
            const Plan::Input& edge = edges[place];
            // Between a row and its own streams everything is one way.
            const bool send = edge.send && !isStream(*findRow(*session_, plan_->rowId(row)));
            const bool returned = part.ways == Part::Ways::returned;
            const bool own = returned ? send && row == part.row : edge.from == part.row;
            if (send && part.ways != Part::Ways::all && !(returned && own)) continue;
            const bool source = hasSources(findRow(*session_, plan_->rowId(edge.from))->kind);
            const ShadowBus* from = own || source ? nullptr : grow(tree, part, edge.from);
            if (!own && from == nullptr) continue;
            ShadowBus::Input& input = bus->inputs.emplace_back();
            input.edge = edge;
            input.place = place;
            input.bus = from;
            input.wait.prepare(2, edge.wait);
        }
        if (bus->inputs.empty()) bus = nullptr;
        if (bus) copyChain(*bus);
        return tree.emplace(row, std::move(bus)).first->second.get();
    }

    void copyChain(ShadowBus& bus) {
        const Row& row = *findRow(*session_, plan_->rowId(bus.row));
        for (const Stage& stage : row.chain) {
            ShadowStage& s = bus.stages.emplace_back();
            s.processor = processorType(stage.type)
                              .make({static_cast<double>(session_->sampleRate), 2}, stage.values);
            s.dry.prepare(2, s.processor->latency());
            exact_ = exact_ && (!stage.on || s.processor->replaysExactly());
        }
        auto& seat = static_cast<Seat&>(*bus.stages.back().processor);
        seat.setAudible(audible(*session_, row));
        seat.reset();
    }

    void advance(ShadowBus& bus, int stage, const Processor& master, bool on) const {
        const AudioBlock io{{bus.signal[0], bus.signal[1]}, 2, kBlock};
        if (stage == 0) {
            for (auto& side : bus.signal) std::fill_n(side, kBlock, 0.0F);
            for (ShadowBus::Input& input : bus.inputs) {
                const float* from[2];
                for (int c = 0; c < 2; ++c) {
                    const bool before = input.edge.before;
                    if (input.bus != nullptr)
                        from[c] = before ? input.bus->beforeFader[c] : input.bus->signal[c];
                    else
                        from[c] = before ? plan_->beforeFader(input.edge.from, c)
                                         : plan_->output(input.edge.from, c);
                }
                addEdge(*plan_, bus.row, input.place, input.edge, input.wait, from, bus.signal);
            }
        }
        if (stage + 1 == static_cast<int>(bus.stages.size())) {
            for (int c = 0; c < 2; ++c) std::copy_n(bus.signal[c], kBlock, bus.beforeFader[c]);
        }
        ShadowStage& s = bus.stages[static_cast<std::size_t>(stage)];
        for (const CurveReader& c : plan_->curves(bus.row, stage)) {
            if (!s.processor->followCurve(c.parameter(), c.last()) && c.moved())
                s.processor->setValue(c.parameter(), c.last().back());
            if (!s.begun) s.processor->reset();
        }
        s.begun = true;
        if (on) {
            s.processor->replay(io, master);
        } else {
            s.dry.process(io);
        }
    }

    const Plan* plan_ = nullptr;
    const Session* session_ = nullptr;
    std::vector<Tree> trees_;
    std::vector<const ShadowBus*> mains_;  // of each tree; null where nothing comes
    float nothing_[kBlock] = {};
    bool exact_ = true;
};

// What elements give a bus by their stems, each at its own gain and waiting for the latest, as the
// bus itself sums them.
class PreBusSum {
  public:
    PreBusSum(const Plan& plan, int row) : plan_(plan), row_(row), inputs_(plan.inputs(row)) {
        for (const Plan::Input& edge : inputs_) waits_.emplace_back().prepare(2, edge.wait);
    }
    void next() {
        for (auto& s : sum_) std::fill_n(s, kBlock, 0.0);
        for (std::size_t i = 0; i < inputs_.size(); ++i) {
            const float* from[2];
            for (int c = 0; c < 2; ++c) from[c] = plan_.output(inputs_[i].from, c);
            addEdge(plan_, row_, i, inputs_[i], waits_[i], from, sum_);
        }
    }
    double sum_[2][kBlock] = {};

  private:
    const Plan& plan_;
    int row_;
    std::vector<Plan::Input> inputs_;
    std::vector<DelayLine> waits_;
};

// Records what a bus is fed: the `before` of its first stage.
class BusInputs : public StemObserver {
  public:
    void stageDone(int row, int stage, int block, const AudioBlock& before, const AudioBlock& after,
                   const Processor& p, bool on) override {
        if (stage == 0) {
            for (int c = 0; c < before.channels; ++c)
                std::copy_n(before.channel[c], kBlock,
                            input[row][static_cast<std::size_t>(c)].data());
        }
        StemObserver::stageDone(row, stage, block, before, after, p, on);
    }
    std::map<int, std::array<std::array<float, kBlock>, 2>> input;
};

// A whole run of a plan, of which one signal that comes `late` frames late is kept.
template <typename Heard>
AudioBuffer collect(Plan& plan, Frames late, const char* what, const Progress& progress,
                    Heard heard) {
    AudioBuffer out;
    out.sampleRate = plan.sampleRate();
    out.channels.resize(2);
    const Frames total = plan.length() + late;
    for (Frames position = 0; position < total; position += kBlock) {
        const BlockPlay play{BlockPlay::Mode::play, position, 0};
        plan.run({&play, 1});
        for (int c = 0; c < 2; ++c) {
            const float* block = heard(c);
            for (int k = 0; k < kBlock; ++k) {
                if (position + k >= late && position + k < total)
                    out.channels[static_cast<std::size_t>(c)].push_back(block[k]);
            }
        }
        if (position % (64 * kBlock) == 0)
            report(progress, static_cast<double>(position) / static_cast<double>(total), what);
    }
    return out;
}

}  // namespace

RenderReport renderStems(const Session& session, AudioStore& store, const RenderOptions& options,
                         const fs::path& folder, const Progress& progress, const StemSet& set) {
    BusInputs observer;
    const auto plan = compile(session, store, {1, 1, options.withGuests, {}, &observer});
    std::vector<int> elements;
    for (int r = 0; r < plan->rowCount(); ++r) {
        if (hasSources(findRow(session, plan->rowId(r))->kind)) elements.push_back(r);
    }
    const bool apart = set.returns == Returns::apart, wet = set.returns == Returns::wet;
    std::vector<int> returns;
    std::vector<Part> ways;
    ways.reserve(2 * elements.size());
    for (const int e : elements) ways.push_back({e, apart ? Part::Ways::dry : Part::Ways::all});
    if (apart) {
        for (const std::string& id : returnsOf(session, options.withGuests)) {
            returns.push_back(plan->rowIndex(id));
            ways.push_back({returns.back(), Part::Ways::returned});
        }
    } else if (wet) {
        for (const int e : elements) ways.push_back({e, Part::Ways::dry});
    }
    observer.build(*plan, session, ways);

    const bool onward = options.tail && options.to < 0.0;
    const Frames length = onward ? soundingLength(session, store, options) : plan->length();
    const SongSpan span = spanOf(options, session.sampleRate, length);

    RenderReport result;
    result.latency = plan->latency();
    result.problems = plan->problems();
    result.frames = span.to - span.from;
    result.tail = length - plan->length();
    result.stems.busesReplayExactly = observer.exact();
    StemFiles files(session, *plan, folder, span, set, result.files);
    for (const int e : elements) files.addElement(plan->rowId(e), plan->latency(e));
    for (const int r : returns) files.addReturn(plan->rowId(r));
    // Only a bus that elements alone feed, behind their faders, can be checked against its stems.
    std::map<int, PreBusSum> sums;
    for (int r = 0; r < plan->rowCount(); ++r) {
        const std::vector<Plan::Input> inputs = plan->inputs(r);
        const bool stems = std::all_of(inputs.begin(), inputs.end(), [&](const Plan::Input& edge) {
            return !edge.before &&
                   std::find(elements.begin(), elements.end(), edge.from) != elements.end();
        });
        if (!inputs.empty() && stems) sums.emplace(r, PreBusSum(*plan, r));
    }

    double worstPre = 0.0, worstThrough = 0.0;
    const Frames total = span.to + plan->latency();
    for (Frames position = 0; position < total; position += kBlock) {
        const BlockPlay play{BlockPlay::Mode::play, position, 0};
        plan->run({&play, 1});
        double mix[2][kBlock] = {};
        const auto mixIn = [&](const StemFiles::Sides& part) {
            for (std::size_t c = 0; c < 2; ++c) {
                for (int k = 0; k < kBlock; ++k) mix[c][k] += static_cast<double>(part[c][k]);
            }
        };
        const auto heard = [&](std::size_t part) {
            return StemFiles::Sides{observer.output(part, 0), observer.output(part, 1)};
        };
        for (std::size_t i = 0; i < elements.size(); ++i) {
            const StemFiles::Sides before{plan->output(elements[i], 0),
                                          plan->output(elements[i], 1)};
            StemFiles::Sides stem = heard(i), beside{};
            float rest[2][kBlock];
            if (wet) {
                const StemFiles::Sides all = stem;
                stem = heard(elements.size() + i);
                for (std::size_t c = 0; c < 2; ++c) {
                    for (int k = 0; k < kBlock; ++k) rest[c][k] = all[c][k] - stem[c][k];
                    beside[c] = rest[c];
                }
                mixIn(beside);
            }
            mixIn(stem);
            files.add(i, before, stem, beside);
        }
        for (std::size_t r = 0; r < returns.size(); ++r) {
            mixIn(heard(elements.size() + r));
            files.addOfReturn(r, heard(elements.size() + r));
        }
        for (int c = 0; c < 2; ++c) {
            const auto channel = static_cast<std::size_t>(c);
            for (int k = 0; k < kBlock; ++k)
                worstThrough =
                    std::max(worstThrough,
                             std::abs(mix[c][k] - static_cast<double>(plan->mainOutput(c)[k])));
            for (auto& [bus, sum] : sums) {
                if (c == 0) sum.next();
                const auto& fed = observer.input.at(bus)[channel];
                for (std::size_t k = 0; k < kBlock; ++k)
                    worstPre =
                        std::max(worstPre, std::abs(sum.sum_[c][k] - static_cast<double>(fed[k])));
            }
        }
        files.endBlock();
        if (position % (64 * kBlock) == 0)
            report(progress, static_cast<double>(position) / static_cast<double>(total),
                   "Rendering stems");
    }
    files.finish();
    result.stems.preBusDb = dbFromGain(worstPre);
    result.stems.throughBusesDb = dbFromGain(worstThrough);
    result.stoppedBlocks = plan->stoppedBlocks();
    return result;
}

AudioBuffer renderPart(const Session& session, AudioStore& store, const std::string& row,
                       const RenderOptions& options, const Progress& progress) {
    StemObserver observer;
    const auto plan = compile(session, store, {1, 1, options.withGuests, {}, &observer}, progress);
    const int element = plan->rowIndex(row);
    const Row* wanted = findRow(session, row);
    if (element < 0 || wanted == nullptr || !hasSources(wanted->kind) || wanted->parent.empty())
        throw Error("“" + row + "” is no part of the mix.");
    observer.build(*plan, session, {{element}});
    return collect(*plan, plan->latency(), "Listening to the mix", progress,
                   [&](int c) { return observer.output(0, c); });
}

AudioBuffer renderRow(const Session& session, AudioStore& store, const std::string& row,
                      const RenderOptions& options, const Progress& progress) {
    const auto heard = heardIn(session, row);
    const auto plan =
        compile(session, store, {1, 1, options.withGuests, {heard.begin(), heard.end()}, nullptr});
    const int index = plan->rowIndex(row);
    if (index < 0) throw Error("“" + row + "” is no part of the mix.");
    return collect(*plan, plan->latency(index), "Listening to a row", progress,
                   [&](int c) { return plan->output(index, c); });
}

std::vector<RowAudio> renderParts(const Session& session, AudioStore& store,
                                  const RenderOptions& options, const Progress& progress) {
    StemObserver observer;
    const auto plan = compile(session, store, {1, 1, options.withGuests, {}, &observer}, progress);
    std::vector<Part> ways;
    std::vector<RowAudio> parts;
    for (int r = 0; r < plan->rowCount(); ++r) {
        const Row& row = *findRow(session, plan->rowId(r));
        if (!hasSources(row.kind) || row.parent.empty()) continue;
        ways.push_back({r});
        parts.push_back({row.id, {static_cast<double>(session.sampleRate), {{}, {}}}});
    }
    observer.build(*plan, session, ways);
    const SongSpan span = spanOf(options, session.sampleRate, plan->length());
    const Frames late = plan->latency(), end = span.to + late,
                 begin = span.begin(session.sampleRate);
    for (Frames position = begin; position < end; position += kBlock) {
        const BlockPlay play{BlockPlay::Mode::play, position, 0};
        plan->run({&play, 1});
        const Frames first = std::clamp<Frames>(span.from + late - position, 0, kBlock),
                     last = std::clamp<Frames>(end - position, 0, kBlock);
        for (std::size_t i = 0; i < parts.size(); ++i) {
            for (int c = 0; c < 2; ++c) {
                const float* heard = observer.output(i, c);
                auto& side = parts[i].audio.channels[static_cast<std::size_t>(c)];
                side.insert(side.end(), heard + first, heard + last);
            }
        }
        if (position % (64 * kBlock) == 0)
            report(progress,
                   static_cast<double>(position - begin) / static_cast<double>(end - begin),
                   "Listening to every part of the mix");
    }
    return parts;
}

}  // namespace ember
