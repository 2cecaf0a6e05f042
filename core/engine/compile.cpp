#include "core/base/error.h"
#include "core/base/number.h"
#include "core/dsp/align.h"
#include "core/engine/plan_impl.h"
#include "core/engine/stage_events.h"
#include "core/measure/separate/stage_gains.h"
#include "core/measure/strokes/played.h"
#include "core/session/bleed.h"
#include "core/session/graph.h"
#include "core/session/recipe.h"

#include <algorithm>
#include <cmath>
#include <functional>
#include <set>
#include <string>
#include <utility>

namespace ember {
namespace {

// Builds the nodes of a plan, one row at a time.
class Compiler {
  public:
    Compiler(Plan::Impl& plan, AudioStore& store, const Progress& progress)
        : plan_(plan), store_(store), progress_(progress), strokes_(playedStrokes(plan.session)) {}

    void compileAll() {
        std::set<std::string> listenedTo;
        for (const Row& row : plan_.session.rows) {
            if (!heard(row)) continue;
            for (const std::string& key : keysOf(plan_.session, row.id)) listenedTo.insert(key);
        }
        for (const Row& row : plan_.session.rows) {
            if (heard(row) || listenedTo.count(row.id) > 0) rows_.push_back(&row);
        }
        plan_.nodes.resize(rows_.size());
        for (std::size_t i = 0; i < rows_.size(); ++i) {
            report(progress_, static_cast<double>(i) / static_cast<double>(rows_.size()),
                   rows_[i]->name);
            makeNode(static_cast<int>(i));
        }
        for (std::size_t i = 0; i < rows_.size(); ++i) listen(static_cast<int>(i));
        for (std::size_t i = 0; i < rows_.size(); ++i) connect(static_cast<int>(i));
        drawTime();
        for (const Row& from : plan_.session.rows) {
            std::vector<char>& row = plan_.leads.emplace_back();
            for (const Row& to : plan_.session.rows)
                row.push_back(leadsTo(plan_.session, from.id, to.id) ? 1 : 0);
        }
        order();
        plan_.time.prepare(longest_, plan_.options.maxBlocks);
    }

  private:
    // Whether it is part of what is rendered; what only stages listen to is there unheard.
    [[nodiscard]] bool heard(const Row& row) const {
        const auto& only = plan_.options.onlyRows;
        const bool named = std::find(only.begin(), only.end(), row.id) != only.end();
        if (row.kind == RowKind::reference) return named;
        return (only.empty() || named) && (row.kind != RowKind::guest || plan_.options.withGuests);
    }

    int find(std::string_view id) const {
        for (std::size_t i = 0; i < rows_.size(); ++i) {
            if (rows_[i]->id == id) return static_cast<int>(i);
        }
        return -1;
    }

    void makeNode(int index) {
        const Row& row = *rows_[static_cast<std::size_t>(index)];
        Node& node = plan_.nodes[static_cast<std::size_t>(index)];
        const double rate = plan_.session.sampleRate;
        node.id = row.id;
        node.row = static_cast<std::size_t>(&row - plan_.session.rows.data());
        node.kind = row.kind;
        node.channels = channelCount(row);
        if (row.kind == RowKind::main) plan_.main = index;
        for (const Stage& stage : row.chain)
            node.stages.emplace_back(stage, ProcessSpec{rate, node.channels});
        node.meter = std::make_unique<MeterCells>(node.stages.size());
        const auto frames = static_cast<std::size_t>(plan_.options.maxBlocks) * kBlock;
        for (auto& out : node.out) out.assign(frames, 0.0F);
        node.sends.resize(row.sends.size());
        if (hasSources(row.kind)) openSources(row, node, rate);
        if (plan_.options.observer == nullptr && playsPrint(plan_.session, row))
            node.print = openPrint(row, rate);
        node.part = partOf(row, node.print != nullptr);
    }

    // Null, and a problem, where the print cannot be played: then the row plays live.
    std::unique_ptr<RowSource> openPrint(const Row& row, double rate) {
        std::vector<RowSource::Part> parts;
        try {
            for (const Source& source : row.frozen->audio) {
                if (!source.hash.empty() && store_.contentHash(source.file) != source.hash)
                    throw Error("“" + source.file + "” is not what was printed");
                RowSource::Part part{store_.open(source.file, plan_.session.sampleRate, progress_),
                                     source.channel,
                                     static_cast<Frames>(std::llround(source.offset * rate))};
                if (part.channel >= part.clip->channels())
                    throw Error("“" + source.file + "” has not the channels that were printed");
                parts.push_back(std::move(part));
            }
        } catch (const Cancelled&) {
            throw;
        } catch (const Error& error) {
            std::string why = error.what();
            if (why.ends_with('.')) why.pop_back();
            plan_.problems.push_back(row.name + " plays live, its print cannot be used: " + why +
                                     "; print it anew.");
            return nullptr;
        }
        return std::make_unique<RowSource>(std::move(parts), rate, RowSource::Delays{});
    }

    void openSources(const Row& row, Node& node, double rate) {
        const Stage& align = row.chain.front();
        node.alignOn = align.on;
        node.delayMs = align.values[Align::delay];
        node.rightDelayMs = align.values[Align::rightDelay];
        if (!row.layers.empty()) {
            auto layers = readyLayers(plan_.session, row, store_, plan_.problems);
            auto stack = makeStack(plan_.session, row, layers);
            if (heard(row)) plan_.length = std::max(plan_.length, stack->end());
            node.source = std::make_unique<RowSource>(std::move(stack), std::move(layers), rate,
                                                      node.delays(rate));
            return;
        }
        const Stage* bleed = findBleed(row);
        const auto model = bleedOf(row, bleed);
        if (model) node.bleed = static_cast<int>(bleed - row.chain.data());
        std::vector<RowSource::Part> parts;
        for (const Source& source : row.sources) {
            RowSource::Part part{nullptr, source.channel,
                                 static_cast<Frames>(std::llround(source.offset * rate))};
            try {
                part.clip = store_.open(source.file, plan_.session.sampleRate, progress_);
                if (part.channel >= part.clip->channels()) {
                    throw Error("“" + source.file + "” has no channel " +
                                std::to_string(part.channel + 1) + "; choose another for “" +
                                row.name + "”.");
                }
                // What only stages listen to does not make the song longer.
                if (heard(row))
                    plan_.length = std::max(plan_.length, part.clip->frames() + part.offset);
            } catch (const Cancelled&) {
                throw;
            } catch (const Error& error) {
                plan_.problems.push_back(row.name + ": " + error.what());
                part.clip = nullptr;
            }
            if (model && part.clip)
                part.gains =
                    stageGains(*model, plan_.session, row, *bleed, static_cast<int>(parts.size()));
            parts.push_back(std::move(part));
        }
        node.source = std::make_unique<RowSource>(std::move(parts), rate, node.delays(rate),
                                                  static_cast<int>(node.row));
        if (!model) return;
        node.source->hearGains(bleed->on, true);
        if (plan_.options.observer != nullptr) {
            for (auto& side : node.plain) side.assign(node.out[0].size(), 0.0F);
        }
    }

    // What a row's bleed stage plays by; none where it has nothing to do. A model that is gone is a
    // problem: the recording is played.
    std::shared_ptr<const BleedModel> bleedOf(const Row& row, const Stage* stage) {
        if (stage == nullptr || !changesSound(*stage)) return nullptr;
        auto model = findBleedModel(store_, stage->data);
        const bool known = model != nullptr && model->sampleRate == plan_.session.sampleRate &&
                           model->channelOf(micOf(row), 0) >= 0;
        if (!known) {
            plan_.problems.push_back(
                row.name + ": " +
                (model == nullptr ? "what its bleed was taken apart by is gone"
                                  : "its bleed was taken apart in another session") +
                ", so it plays the recording; take the kit apart again (Flow, Bleed).");
            return nullptr;
        }
        return model;
    }

    void connect(int index) {
        const Row& row = *rows_[static_cast<std::size_t>(index)];
        feed(index, row.parent, nullptr);
        for (std::size_t i = 0; i < row.sends.size(); ++i)
            plan_.nodes[static_cast<std::size_t>(index)].sends[i] =
                feed(index, row.sends[i].to, &row.sends[i]);
    }

    void listen(int index) {
        const Row& row = *rows_[static_cast<std::size_t>(index)];
        Node& node = plan_.nodes[static_cast<std::size_t>(index)];
        for (std::size_t s = 0; !node.print && s < row.chain.size(); ++s) {
            const int key = row.chain[s].key.empty() ? -1 : find(row.chain[s].key);
            if (key < 0) continue;
            Node& other = plan_.nodes[static_cast<std::size_t>(key)];
            node.stages[s].keyRow = key;
            other.tapped = true;
            if (!other.source) plan_.listeners.push_back({other.row, node.row});
            for (auto& tap : other.tap) tap.assign(node.out[0].size(), 0.0F);
        }
    }

    // The second at which what goes by the song's time stops: a while behind the song's end.
    [[nodiscard]] double songEnd() const {
        constexpr double kBehind = 60.0;
        return static_cast<double>(plan_.length) / plan_.session.sampleRate + kBehind;
    }

    // What goes by the song's time, once it is known how long that is: the click, and what moves.
    void drawTime() {
        const double rate = plan_.session.sampleRate, until = songEnd();
        plan_.beats = beatsOf(plan_.session.time, rate, static_cast<Frames>(until * rate));
        const auto readers = [&](const std::vector<Curve>& curves, ParameterTable table) {
            std::vector<CurveReader> out;
            for (const Curve& c : curves) {
                if (!c.on) continue;
                const int index = parameterIndex(table, c.parameter);
                out.emplace_back(index, CurveLine(c, table[static_cast<std::size_t>(index)],
                                                  plan_.session.time, rate, until));
            }
            return out;
        };
        for (std::size_t i = 0; i < rows_.size(); ++i) {
            Node& node = plan_.nodes[i];
            const Row& row = *rows_[i];
            for (std::size_t s = 0; s < row.chain.size(); ++s)
                node.stages[s].curves =
                    readers(row.chain[s].curves, processorType(row.chain[s].type).table);
            for (std::size_t s = 0; s < row.sends.size(); ++s) {
                const Place place = node.sends[s];
                if (place.row < 0) continue;
                plan_.nodes[static_cast<std::size_t>(place.row)].inputs[place.input].curves =
                    readers(row.sends[s].curves, processorType("seat").table);
            }
        }
    }

    // A way of sound out of row `index`; where it comes in. Into what is heard comes only what is
    // heard; those that listen to a bus hear all its members.
    Place feed(int index, const std::string& to, const Send* send) {
        const int at = find(to);
        if (at < 0) return {};
        const Row& row = *rows_[static_cast<std::size_t>(index)];
        Node& node = plan_.nodes[static_cast<std::size_t>(index)];
        Node& into = plan_.nodes[static_cast<std::size_t>(at)];
        const bool unheard = heard(*rows_[static_cast<std::size_t>(at)]) && !heard(row);
        if (unheard && !into.tapped) return {};
        std::vector<PlanEdge>& inputs = unheard ? into.keyInputs : into.inputs;
        inputs.emplace_back(index, send, node.channels, plan_.session.sampleRate);
        if (inputs.back().before()) {
            node.takenBefore = true;
            for (auto& side : node.beforeFader) side.assign(node.out[0].size(), 0.0F);
        }
        return unheard ? Place{} : Place{at, inputs.size() - 1};
    }

    // Levels, latencies and the waits that make all inputs of a bus arrive together.
    void order() {
        std::vector<char> done(rows_.size(), 0);
        plan_.levels.assign(1, {});
        for (std::size_t i = 0; i < rows_.size(); ++i) settle(static_cast<int>(i), done);
        wakeUp();
        for (std::size_t i = 0; i < rows_.size(); ++i) {
            const Node& node = plan_.nodes[i];
            if (node.source && (node.awake || node.listened))
                plan_.sources.push_back(static_cast<int>(i));
            if (!node.awake) continue;
            const auto level = static_cast<std::size_t>(node.level);
            if (plan_.levels.size() <= level) plan_.levels.resize(level + 1);
            plan_.levels[level].push_back(static_cast<int>(i));
        }
    }

    // Which rows have to run: what is heard, and what that needs.
    void wakeUp() {
        if (!plan_.options.rest || !plan_.options.onlyRows.empty()) return;
        for (Node& node : plan_.nodes) node.awake = node.listened = false;
        for (Node& node : plan_.nodes) {
            if (node.kind == RowKind::main || node.kind == RowKind::reference) wake(node);
        }
    }

    void wake(Node& node) {
        if (std::exchange(node.awake, true)) return;
        for (const PlanStage& stage : node.stages) {
            if (stage.keyRow < 0) continue;
            Node& key = plan_.nodes[static_cast<std::size_t>(stage.keyRow)];
            if (key.source)
                key.listened = true;
            else
                wake(key);
        }
        if (!node.reads()) return;
        node.eachInput([this](const PlanEdge& edge) {
            wake(plan_.nodes[static_cast<std::size_t>(edge.from())]);
        });
    }

    void settle(int index, std::vector<char>& done) {
        if (std::exchange(done[static_cast<std::size_t>(index)], 1) != 0) return;
        Node& node = plan_.nodes[static_cast<std::size_t>(index)];
        node.level = node.source ? 0 : 1;
        node.eachInput([&](const PlanEdge& edge) {
            settle(edge.from(), done);
            const Node& from = plan_.nodes[static_cast<std::size_t>(edge.from())];
            node.tapLatency = std::max(node.tapLatency, from.latency);
            node.level = std::max(node.level, from.level + 1);
        });
        node.eachInput([&](PlanEdge& edge) {
            edge.setWait(node.tapLatency -
                         plan_.nodes[static_cast<std::size_t>(edge.from())].latency);
        });
        node.latency = node.tapLatency;
        node.eachInput([&](PlanEdge& edge) {
            for (CurveReader& c : edge.curves) setLate(c, node.tapLatency);
        });
        for (PlanStage& stage : node.stages) {
            if (stage.keyRow >= 0) waitForKey(node, stage, done);
            stage.entersAt = node.latency;
            for (CurveReader& c : stage.curves) setLate(c, node.latency);
            node.latency += stage.latency();
            if (stage.processor().wantsStrokes())
                placeStrokes(node, stage,
                             rows_[static_cast<std::size_t>(index)]
                                 ->chain[static_cast<std::size_t>(&stage - node.stages.data())]);
        }
        // A print is there at once.
        if (!node.print) return;
        node.latency = 0;
        for (CurveReader& c : node.stages.back().curves) setLate(c, 0);
    }

    void setLate(CurveReader& curve, int frames) {
        curve.setLate(frames);
        longest_ = std::max<Frames>(longest_, frames);
    }

    // A key and the signal it acts on come to a stage together: whichever is earlier waits.
    void waitForKey(Node& node, PlanStage& stage, std::vector<char>& done) {
        const Node& key = plan_.nodes[static_cast<std::size_t>(stage.keyRow)];
        // A recording is there before anything is played; a bus only once it is fed.
        if (!key.source) {
            settle(stage.keyRow, done);
            node.level = std::max(node.level, key.level + 1);
        }
        stage.keyDelay.prepare(key.channels, std::max(0, node.latency - key.tapLatency));
        stage.wait.prepare(node.channels, std::max(0, key.tapLatency - node.latency));
        node.latency = std::max(node.latency, key.tapLatency);
    }

    // The strokes that drive a stage, and when they come to it.
    void placeStrokes(const Node& node, PlanStage& stage, const Stage& set) {
        std::vector<Event> events = stageEvents(plan_.session, node.id, set, strokes_, songEnd());
        // Alignment moves a row while the plan plays, as far as its parameter goes.
        const double most = processorType("align").table[Align::delay].maximum;
        const auto moves =
            static_cast<Frames>(std::ceil(framesFromMs(most, plan_.session.sampleRate)));
        stage.trackDelay = node.latency - stage.processor().strokeLead();
        stage.track = EventTrack(std::move(events), moves - stage.trackDelay);
        longest_ = std::max(longest_, stage.trackDelay + moves);
    }

    // The same in two plans where a row can go on as it is.
    static std::uint64_t partOf(const Row& row, bool printed) {
        std::string part = row.id;
        if (printed) part += "\nprint " + row.frozen->audio.front().hash;
        for (const Source& s : row.sources)
            part += "\n" + s.file + "\n" + s.hash + "\n" + std::to_string(s.channel) + "\n" +
                    plainText(s.offset, 9);
        return std::hash<std::string>{}(part);
    }

    Plan::Impl& plan_;
    AudioStore& store_;
    const Progress& progress_;
    std::vector<Stroke> strokes_;  // all that is struck, in order of time
    std::vector<const Row*> rows_;
    Frames longest_ = 0;  // how far back any stage asks what was played
};

}  // namespace

std::unique_ptr<Plan> compile(const Session& session, AudioStore& store, const PlanOptions& options,
                              const Progress& progress) {
    if (const std::string problem = validate(session); !problem.empty()) throw Error(problem);
    auto impl = std::make_unique<Plan::Impl>();
    impl->session = session;
    impl->options = options;
    if (options.threads > 1) impl->arena = std::make_unique<tbb::task_arena>(options.threads);
    Compiler(*impl, store, progress).compileAll();
    impl->silence.assign(static_cast<std::size_t>(options.maxBlocks) * kBlock, 0.0F);
    impl->refreshAudible();
    for (Node& node : impl->nodes) {
        node.seat().reset();
        node.eachInput([](PlanEdge& edge) { edge.settle(); });
    }
    return std::unique_ptr<Plan>(new Plan(std::move(impl)));
}

}  // namespace ember
