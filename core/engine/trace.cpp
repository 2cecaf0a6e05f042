#include "core/engine/trace.h"

#include "core/session/graph.h"
#include "core/session/recipe.h"

#include <algorithm>
#include <cmath>
#include <functional>
#include <memory>
#include <set>

namespace ember {
namespace {

constexpr int kChunk = 32;  // blocks per run

float peakOf(const AudioBlock& block) {
    float peak = 0.0F;
    for (int c = 0; c < block.channels; ++c) {
        for (int i = 0; i < block.frames; ++i) peak = std::max(peak, std::abs(block.channel[c][i]));
    }
    return peak;
}

struct RowCollector {
    RowTrace* trace = nullptr;
    std::vector<std::unique_ptr<SpectrumMeter>> before, after;  // null but for repair and colour
    std::unique_ptr<LoudnessMeter> output;
    std::vector<float> waiting;  // interleaved, on its way to the meter
};

void addMono(SpectrumMeter& meter, const AudioBlock& block) {
    float mono[kBlock];
    for (int i = 0; i < block.frames; ++i) {
        mono[i] = block.channels == 2 ? 0.5F * (block.channel[0][i] + block.channel[1][i])
                                      : block.channel[0][i];
    }
    meter.add({mono, static_cast<std::size_t>(block.frames)});
}

// The meter takes its time per call, so it is called seldom.
void addToLoudness(RowCollector& c, const AudioBlock* block) {
    if (block != nullptr) {
        for (int i = 0; i < block->frames; ++i) {
            for (int ch = 0; ch < 2; ++ch) c.waiting.push_back(block->channel[ch][i]);
        }
        if (c.waiting.size() < 16384) return;
    }
    c.output->add(c.waiting);
    c.waiting.clear();
}

class Collector : public PlanObserver {
  public:
    void stageDone(int row, int stage, int, const AudioBlock& before, const AudioBlock& after,
                   const Processor& processor, bool on) override {
        const auto at = rows.find(row);
        if (at == rows.end()) return;
        RowCollector& c = at->second;
        const auto s = static_cast<std::size_t>(stage);
        StageTrace& t = c.trace->stages[s];
        const float in = peakOf(before);
        t.inputPeak.push_back(in);
        t.outputPeak.push_back(peakOf(after));
        t.keyPeak.push_back(on ? processor.reading().keyPeak : in);
        t.gainDb.push_back(on ? processor.reading().gainDb : 0.0F);
        if (c.before[s]) {
            addMono(*c.before[s], before);
            addMono(*c.after[s], after);
        }
        if (s + 1 == c.trace->stages.size()) {
            addToLoudness(c, &after);
            ++c.trace->blocks;
        }
    }
    std::map<int, RowCollector> rows;
};

// Runs a plan from song zero to its end (or `to` frames).
void runAll(Plan& plan, Frames to, const Progress& progress, const std::string& what,
            const std::function<void(int)>& each = {}) {
    std::vector<BlockPlay> blocks;
    for (Frames position = 0; position < to; position += kChunk * kBlock) {
        blocks.clear();
        for (int b = 0; b < kChunk && position + b * kBlock < to; ++b)
            blocks.push_back({BlockPlay::Mode::play, position + b * kBlock, 0});
        plan.run(blocks);
        if (each) each(static_cast<int>(blocks.size()) * kBlock);
        report(progress, static_cast<double>(position) / static_cast<double>(to), what);
    }
}

double loudnessOf(const Session& session, AudioStore& store, const std::string& row,
                  const Audition& audition, double from, double to, const Progress& progress) {
    const std::set<std::string> feeders = heardIn(session, row);
    // What is passed by has to run.
    const auto plan = compile(audition.active ? withoutPrints(session) : session, store,
                              {kChunk, 1, true, {feeders.begin(), feeders.end()}, nullptr});
    const int index = plan->rowIndex(row);
    if (index < 0) return kSilenceDb;
    Audition resolved = audition;
    if (audition.row >= 0) resolved.row = index;
    plan->audition(resolved);
    const double rate = session.sampleRate;
    const Frames end = to <= from ? plan->length()
                                  : std::min(plan->length(), static_cast<Frames>(to * rate)) +
                                        plan->latency(index);
    const Frames begin = to <= from ? 0 : static_cast<Frames>(from * rate) + plan->latency(index);
    LoudnessMeter meter(2, rate, LoudnessDetail::integrated);
    Frames at = 0;
    std::vector<float> both;
    runAll(*plan, end, progress, "Matching loudness", [&](int frames) {
        both.clear();
        for (int i = 0; i < frames; ++i) {
            if (at + i < begin || at + i >= end) continue;
            both.push_back(plan->output(index, 0)[i]);
            both.push_back(plan->output(index, 1)[i]);
        }
        at += frames;
        meter.add(both);
    });
    return meter.result().integrated;
}

double difference(double on, double off) {
    return on <= kSilenceDb + 1.0 || off <= kSilenceDb + 1.0 ? 0.0
                                                             : std::clamp(on - off, -40.0, 40.0);
}

}  // namespace

std::map<std::string, RowTrace> trace(const Session& session, AudioStore& store,
                                      const std::vector<std::string>& wanted,
                                      const Progress& progress, double seconds) {
    std::set<std::string> feeders;
    for (const auto& id : wanted) feeders.merge(heardIn(session, id));
    Collector collector;
    const auto plan = compile(
        session, store, {kChunk, 1, true, {feeders.begin(), feeders.end()}, &collector}, progress);
    std::map<std::string, RowTrace> result;
    for (const auto& id : wanted) {
        const int index = plan->rowIndex(id);
        const Row* row = findRow(session, id);
        if (index < 0 || row == nullptr) continue;
        RowTrace& t = result[id];
        t.stages.resize(row->chain.size());
        RowCollector& c = collector.rows[index];
        c.trace = &t;
        c.before.resize(row->chain.size());
        c.after.resize(row->chain.size());
        for (std::size_t s = 0; s < row->chain.size(); ++s) {
            const Column home = processorType(row->chain[s].type).home;
            if (home != Column::repair && home != Column::colour) continue;
            c.before[s] = std::make_unique<SpectrumMeter>(session.sampleRate);
            c.after[s] = std::make_unique<SpectrumMeter>(session.sampleRate);
        }
        c.output = std::make_unique<LoudnessMeter>(
            2, session.sampleRate,
            row->kind == RowKind::main ? LoudnessDetail::full : LoudnessDetail::integrated);
    }
    const auto end = static_cast<Frames>(seconds * session.sampleRate);
    runAll(*plan, seconds > 0.0 ? std::min(end, plan->length()) : plan->length(), progress,
           "Measuring");
    for (auto& [index, c] : collector.rows) {
        for (std::size_t s = 0; s < c.before.size(); ++s) {
            if (!c.before[s]) continue;
            c.trace->stages[s].before = c.before[s]->result();
            c.trace->stages[s].after = c.after[s]->result();
        }
        addToLoudness(c, nullptr);
        c.trace->output = c.output->result();
    }
    return result;
}

double matchGainDb(const Session& session, AudioStore& store, const std::string& row,
                   std::uint64_t stages, double from, double to, const Progress& progress) {
    const double on = loudnessOf(session, store, row, {}, from, to, progress);
    const double off = loudnessOf(session, store, row, {true, 0, stages, 0.0}, from, to, progress);
    return difference(on, off);
}

double matchMixGainDb(const Session& session, AudioStore& store, double from, double to,
                      const Progress& progress) {
    const std::string main = mainRow(session);
    const double on = loudnessOf(session, store, main, {}, from, to, progress);
    const double off = loudnessOf(session, store, main, {true, -1, 0, 0.0}, from, to, progress);
    return difference(on, off);
}

double mixGainDb(const Session& mix, const Session& other, AudioStore& store,
                 const std::string& row, double from, double to, const Progress& progress) {
    const auto loudness = [&](const Session& of) {
        return loudnessOf(of, store, row.empty() ? mainRow(of) : row, {}, from, to, progress);
    };
    const double wanted = loudness(other);
    return difference(wanted, loudness(mix));
}

double referenceGainDb(const Session& session, AudioStore& store, const std::string& row,
                       double from, double to, const Progress& progress) {
    const double mix = loudnessOf(session, store, mainRow(session), {}, from, to, progress);
    return difference(mix, loudnessOf(session, store, row, {}, from, to, progress));
}

}  // namespace ember
