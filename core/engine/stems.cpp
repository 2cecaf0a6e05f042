// Stems: every element before its bus, and carried through its buses.
//
// The buses of the full mix run once. Beside them every element has a shadow of its path
// to main, whose level-driven processors do not listen but apply the gain the full
// mix caused in the same block. As long as every bus processor is linear once its gain
// is given, the shadows sum to the mix; the residue is measured and reported either way.

#include "core/base/error.h"
#include "core/dsp/delay_line.h"
#include "core/engine/render.h"
#include "core/session/graph.h"

#include <algorithm>
#include <cmath>
#include <map>

namespace ember {
namespace fs = std::filesystem;
namespace {

struct ShadowStage {
    std::unique_ptr<Processor> processor;
    DelayLine dry;
};

// One element's way through one bus.
struct ShadowBus {
    int bus = 0, from = 0;  // rows of the plan; `from` is the element or the bus before
    const ShadowBus* before = nullptr;
    DelayLine wait;
    std::vector<ShadowStage> stages;
    float signal[2][kBlock] = {};
};

class StemObserver : public PlanObserver {
  public:
    void build(const Plan& plan, const Session& session, const std::vector<int>& elements) {
        plan_ = &plan;
        for (const int element : elements) {
            auto& path = paths_.emplace_back();
            int from = element;
            const ShadowBus* before = nullptr;
            const std::vector<const Row*> way = wayOut(session, plan.rowId(element));
            for (const Row* row : std::span(way).subspan(1)) {
                auto bus = std::make_unique<ShadowBus>();
                bus->bus = plan.rowIndex(row->id);
                bus->from = from;
                bus->before = before;
                bus->wait.prepare(2, plan.compensation(from));
                for (const Stage& stage : row->chain) {
                    ShadowStage& s = bus->stages.emplace_back();
                    s.processor =
                        processorType(stage.type)
                            .make({static_cast<double>(session.sampleRate), 2}, stage.values);
                    s.dry.prepare(2, s.processor->latency());
                    exact_ = exact_ && (!stage.on || s.processor->replaysExactly());
                }
                from = bus->bus;
                before = bus.get();
                path.push_back(std::move(bus));
            }
        }
    }

    void stageDone(int row, int stage, int, const AudioBlock&, const AudioBlock&,
                   const Processor& master, bool on) override {
        for (auto& path : paths_) {
            for (auto& bus : path) {
                if (bus->bus == row) advance(*bus, stage, master, on);
            }
        }
    }

    [[nodiscard]] const float* output(std::size_t element, int channel) const {
        return paths_[element].back()->signal[channel];
    }
    [[nodiscard]] bool exact() const { return exact_; }

  private:
    void advance(ShadowBus& bus, int stage, const Processor& master, bool on) const {
        const AudioBlock io{{bus.signal[0], bus.signal[1]}, 2, kBlock};
        if (stage == 0) {
            for (int c = 0; c < 2; ++c) {
                const float* from =
                    bus.before != nullptr ? bus.before->signal[c] : plan_->output(bus.from, c);
                std::copy_n(from, kBlock, bus.signal[c]);
            }
            bus.wait.process(io);
        }
        ShadowStage& s = bus.stages[static_cast<std::size_t>(stage)];
        if (on) {
            s.processor->replay(io, master);
        } else {
            s.dry.process(io);
        }
    }

    const Plan* plan_ = nullptr;
    std::vector<std::vector<std::unique_ptr<ShadowBus>>> paths_;
    bool exact_ = true;
};

// Cuts the frames before song zero from a stream of blocks and writes the rest.
class StemFile {
  public:
    StemFile(const fs::path& path, int rate, Frames skip, Frames frames)
        : writer_(path, 2, rate, SampleDepth::float32), skip_(skip), left_(frames) {}

    void add(const float* l, const float* r) {
        piece_.clear();
        for (int i = 0; i < kBlock; ++i) {
            if (skip_ > 0) {
                --skip_;
            } else if (left_ > 0) {
                --left_;
                piece_.push_back(l[i]);
                piece_.push_back(r[i]);
            }
        }
        if (!piece_.empty()) writer_.write(piece_);
    }
    void finish() { writer_.finish(); }

  private:
    AudioWriter writer_;
    Frames skip_, left_;
    std::vector<float> piece_;
};

// The elements of a bus, each waiting for the latest, as the bus itself sums them.
class PreBusSum {
  public:
    PreBusSum(const Plan& plan, const std::vector<int>& elements) : plan_(plan) {
        for (const int e : elements) {
            rows_.push_back(e);
            waits_.emplace_back().prepare(2, plan.compensation(e));
        }
    }
    void next() {
        for (auto& s : sum_) std::fill_n(s, kBlock, 0.0);
        for (std::size_t i = 0; i < rows_.size(); ++i) {
            float copy[2][kBlock];
            const AudioBlock io{{copy[0], copy[1]}, 2, kBlock};
            for (int c = 0; c < 2; ++c) std::copy_n(plan_.output(rows_[i], c), kBlock, copy[c]);
            waits_[i].process(io);
            for (int c = 0; c < 2; ++c) {
                for (int k = 0; k < kBlock; ++k) sum_[c][k] += static_cast<double>(copy[c][k]);
            }
        }
    }
    double sum_[2][kBlock] = {};

  private:
    const Plan& plan_;
    std::vector<int> rows_;
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

}  // namespace

RenderReport renderStems(const Session& session, AudioStore& store, const RenderOptions& options,
                         const fs::path& folder, const Progress& progress) {
    BusInputs observer;
    const auto plan = compile(session, store, {1, 1, options.withGuests, {}, &observer});
    std::vector<int> elements;
    for (int r = 0; r < plan->rowCount(); ++r) {
        if (hasSources(findRow(session, plan->rowId(r))->kind)) elements.push_back(r);
    }
    observer.build(*plan, session, elements);

    const double rate = session.sampleRate;
    const auto at = [&](double seconds) {
        return static_cast<Frames>(std::llround(seconds * rate));
    };
    const bool onward = options.tail && options.to < 0.0;
    const Frames length = onward ? soundingLength(session, store, options) : plan->length(),
                 from = std::max<Frames>(0, at(options.from)),
                 to = options.to < 0.0 ? length : std::min(length, at(options.to));
    if (from >= to) throw Error("There is nothing to render between the given times.");

    std::error_code code;
    fs::create_directories(folder / "pre-bus", code);
    fs::create_directories(folder / "through-buses", code);
    if (code)
        throw Error("The folder “" + folder.string() +
                    "” cannot be made: choose one you may write to.");

    RenderReport result;
    result.latency = plan->latency();
    result.problems = plan->problems();
    result.frames = to - from;
    result.tail = length - plan->length();
    result.stems.busesReplayExactly = observer.exact();
    std::vector<std::unique_ptr<StemFile>> pre, through;
    std::map<int, std::vector<int>> members;  // elements that feed a bus directly
    for (const int e : elements) {
        const std::string name = plan->rowId(e) + ".wav";
        for (const char* sub : {"pre-bus", "through-buses"}) {
            protectSources(session, folder / sub / name);
            result.files.push_back(folder / sub / name);
        }
        pre.push_back(std::make_unique<StemFile>(folder / "pre-bus" / name, session.sampleRate,
                                                 from + plan->latency(e), to - from));
        through.push_back(std::make_unique<StemFile>(folder / "through-buses" / name,
                                                     session.sampleRate, from + plan->latency(),
                                                     to - from));
        members[plan->rowIndex(findRow(session, plan->rowId(e))->parent)].push_back(e);
    }
    // Only buses fed by elements alone can be checked against the sum of their members.
    std::map<int, PreBusSum> sums;
    for (const auto& [bus, rows] : members) {
        const bool busesToo = std::any_of(session.rows.begin(), session.rows.end(),
                                          [&, id = plan->rowId(bus)](const Row& r) {
                                              return !hasSources(r.kind) && r.parent == id;
                                          });
        if (!busesToo) sums.emplace(bus, PreBusSum(*plan, rows));
    }

    double worstPre = 0.0, worstThrough = 0.0;
    const Frames total = to + plan->latency();
    for (Frames position = 0; position < total; position += kBlock) {
        const BlockPlay play{BlockPlay::Mode::play, position, 0};
        plan->run({&play, 1});
        double mix[2][kBlock] = {};
        for (std::size_t i = 0; i < elements.size(); ++i) {
            pre[i]->add(plan->output(elements[i], 0), plan->output(elements[i], 1));
            through[i]->add(observer.output(i, 0), observer.output(i, 1));
            for (int c = 0; c < 2; ++c) {
                for (int k = 0; k < kBlock; ++k)
                    mix[c][k] += static_cast<double>(observer.output(i, c)[k]);
            }
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
        if (position % (64 * kBlock) == 0)
            report(progress, static_cast<double>(position) / static_cast<double>(total),
                   "Rendering stems");
    }
    for (auto& file : pre) file->finish();
    for (auto& file : through) file->finish();
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
    observer.build(*plan, session, {element});
    AudioBuffer out;
    out.sampleRate = session.sampleRate;
    out.channels.resize(2);
    const Frames late = plan->latency(), total = plan->length() + late;
    for (Frames position = 0; position < total; position += kBlock) {
        const BlockPlay play{BlockPlay::Mode::play, position, 0};
        plan->run({&play, 1});
        for (int c = 0; c < 2; ++c) {
            const float* heard = observer.output(0, c);
            for (int k = 0; k < kBlock; ++k) {
                if (position + k >= late && position + k < total)
                    out.channels[static_cast<std::size_t>(c)].push_back(heard[k]);
            }
        }
        if (position % (64 * kBlock) == 0)
            report(progress, static_cast<double>(position) / static_cast<double>(total),
                   "Listening to the mix");
    }
    return out;
}

}  // namespace ember
