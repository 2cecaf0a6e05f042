// How fast the mix renders, beside a bare kernel that does the same arithmetic without a
// graph, parameters or meters. Ratios are printed by scripts/bench, which also times ffmpeg.

#include "core/audio/file.h"
#include "core/base/random.h"
#include "core/base/units.h"
#include "core/dsp/band_gains.h"
#include "core/dsp/biquad_design.h"
#include "core/dsp/equaliser.h"
#include "core/dsp/fast_math.h"
#include "core/dsp/simd.h"
#include "core/engine/engine.h"
#include "core/engine/flush_to_zero.h"
#include "core/engine/print_row.h"
#include "core/engine/render.h"
#include "core/session/curves.h"
#include "core/session/layers.h"
#include "core/session/recipe.h"
#include "core/session/session.h"

#include <benchmark/benchmark.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <cstdlib>
#include <ctime>
#include <filesystem>
#include <tuple>

namespace ember {
namespace {

constexpr int kElements = 16;
constexpr double kRate = 48000.0;

// A minute; less where only every benchmark has to run once.
bool shortRun() {
    return std::getenv("EMBER_BENCH_SHORT") != nullptr;
}
const double kSeconds = shortRun() ? 2.0 : 60.0;

std::filesystem::path folder() {
    const char* given = std::getenv("EMBER_BENCH_FOLDER");
    return given != nullptr ? given : std::filesystem::temp_directory_path() / "ember-bench";
}

// Bursts of decaying noise, so that gates and compressors have work.
std::vector<float> material(int index, double seconds) {
    Random random(static_cast<std::uint64_t>(index) + 1);
    std::vector<float> out(static_cast<std::size_t>(seconds * kRate));
    const auto period = static_cast<std::size_t>((0.37 + 0.05 * index) * kRate);
    double level = 0.0;
    for (std::size_t i = 0; i < out.size(); ++i) {
        level = i % period == 0 ? 0.6 : level * 0.9997;
        out[i] = static_cast<float>(level) * random.noise();
    }
    return out;
}

std::filesystem::path fileOf(int index, double seconds) {
    std::filesystem::create_directories(folder());
    const auto path = folder() / (std::to_string(index) + "-" +
                                  std::to_string(static_cast<int>(seconds)) + ".wav");
    if (!std::filesystem::exists(path))
        writeAudio(path, {kRate, {material(index, seconds)}}, SampleDepth::float32);
    return path;
}

// Gate, six equaliser sections, compressor and pan for every element, into a compressed bus.
Session session(int elements, double seconds) {
    Session s;
    for (int i = 0; i < elements; ++i) {
        Row row;
        row.id = "e" + std::to_string(i);
        row.name = row.id;
        row.parent = "bus";
        row.sources = {{fileOf(i, seconds).string(), "", 0, 0.0}};
        row.chain = makeChain(RowKind::element);
        s.rows.push_back(row);
    }
    for (const auto& [id, kind, parent] :
         {std::tuple{"bus", RowKind::bus, "main"}, {"main", RowKind::main, ""}}) {
        Row row;
        row.id = id;
        row.name = id;
        row.kind = kind;
        row.parent = parent;
        row.chain = makeChain(kind);
        s.rows.push_back(row);
    }
    for (int i = 0; i < elements; ++i) {
        const std::string id = "e" + std::to_string(i);
        s = withValue(std::move(s), id, "gate", "threshold", -30.0);
        for (const auto& [band, frequency, gain] : {std::tuple{1, 60.0, 0.0},
                                                    {2, 100.0, 3.0},
                                                    {3, 350.0, -4.0},
                                                    {5, 1200.0, -2.0},
                                                    {6, 4000.0, 3.0},
                                                    {7, 9000.0, 2.0}}) {
            const std::string b = "b" + std::to_string(band) + ".";
            s = withValue(std::move(s), id, "eq", b + "on", 1.0);
            s = withValue(std::move(s), id, "eq", b + "frequency", frequency);
            s = withValue(std::move(s), id, "eq", b + "gain", gain);
        }
        s = withValue(std::move(s), id, "compressor", "threshold", -24.0);
        s = withValue(std::move(s), id, "seat", "pan",
                      -75.0 + 150.0 * i / std::max(1, elements - 1));
    }
    return withValue(std::move(s), "bus", "compressor", "threshold", -20.0);
}

AudioStore& store() {
    static AudioStore s(folder() / "cache");
    return s;
}

// Every processor there is in each chain, with work to do; the equaliser's third band moves.
Session fullSession(int elements, double seconds) {
    Session s = session(elements, seconds);
    std::vector<Stroke> strokes;
    for (double t = 0.2; t < seconds; t += 0.4)
        strokes.push_back({t, "snare", "e0", 0.8, -6.0, StrokeKind::normal, 1.0, false});
    s.strokes = Shared(strokes);
    for (int i = 0; i < elements; ++i) {
        const std::string id = "e" + std::to_string(i);
        requireRow(s, id).role = Role::snare;
        s = withValue(std::move(s), id, "eq", "b3.range", -4.0);
        for (const auto& [type, parameter, value] : {std::tuple{"expander", "threshold", -40.0},
                                                     {"stroke", "tune", -1.0},
                                                     {"de-harsher", "threshold", -30.0},
                                                     {"transient", "attack", 3.0},
                                                     {"limiter", "ceiling", -6.0},
                                                     {"saturation", "drive", 6.0},
                                                     {"exciter", "highs", 20.0},
                                                     {"clipper", "ceiling", -8.0},
                                                     {"crusher", "bits", 14.0}}) {
            s = withStageAdded(std::move(s), id, type);
            s = withValue(std::move(s), id, type, parameter, value);
        }
    }
    return s;
}

void render(benchmark::State& state, const Session& s, double seconds, int threads) {
    RenderOptions options;
    options.threads = threads;
    // Decoding is done once and kept; it is no part of rendering.
    benchmark::DoNotOptimize(renderMix(s, store(), options));
    for (auto _ : state) benchmark::DoNotOptimize(renderMix(s, store(), options));
    state.counters["x real time"] =
        benchmark::Counter(seconds, benchmark::Counter::kIsIterationInvariantRate);
}

void BM_Render16(benchmark::State& state) {
    render(state, session(16, kSeconds), kSeconds, static_cast<int>(state.range(0)));
}
BENCHMARK(BM_Render16)->Arg(1)->Arg(2)->Unit(benchmark::kMillisecond)->UseRealTime();
// The same with every level riding along the song, and every threshold of a compressor.
void BM_Curves16(benchmark::State& state) {
    Session s = session(16, kSeconds);
    for (const Row& row : std::vector(s.rows)) {
        for (const auto& [stage, parameter, low] :
             {std::tuple{"seat", "level", -12.0}, std::tuple{"compressor", "threshold", -30.0}}) {
            if (findStage(row, stage) == nullptr) continue;
            Curve curve{parameter};
            for (int q = 0; q < 240; ++q)
                curve.points.push_back({static_cast<double>(q), low + q % 7, CurveShape::ease});
            s = withCurve(std::move(s), {row.id, stage, {}, parameter}, std::move(curve));
        }
    }
    render(state, s, kSeconds, 1);
}
BENCHMARK(BM_Curves16)->Unit(benchmark::kMillisecond)->UseRealTime();
// The same with every element frozen (0), or the bus that they feed (1).
void BM_Frozen16(benchmark::State& state) {
    Session s = session(16, kSeconds);
    for (const Row& row : std::vector(s.rows)) {
        if (row.kind != (state.range(0) == 0 ? RowKind::element : RowKind::bus)) continue;
        s = withPrint(s, row.id, printRow(s, store(), row.id, folder() / "prints", 0));
    }
    render(state, s, kSeconds, 1);
}
BENCHMARK(BM_Frozen16)->Arg(0)->Arg(1)->Unit(benchmark::kMillisecond)->UseRealTime();
void BM_RenderElements(benchmark::State& state) {
    render(state, session(static_cast<int>(state.range(0)), kSeconds), kSeconds, 1);
}
BENCHMARK(BM_RenderElements)->Arg(4)->Arg(8)->Arg(32)->Unit(benchmark::kMillisecond)->UseRealTime();
void BM_RenderSeconds(benchmark::State& state) {
    const double seconds = static_cast<double>(state.range(0)) * (shortRun() ? 0.05 : 1.0);
    render(state, session(16, seconds), seconds, 1);
}
void BM_FullChain(benchmark::State& state) {
    render(state, fullSession(4, kSeconds), kSeconds, 1);
}
BENCHMARK(BM_FullChain)->Unit(benchmark::kMillisecond)->UseRealTime();
// One channel of struck noise through one processor with work to do (the last element of the full
// chain has it set so).
void BM_Processor(benchmark::State& state, const Stage& stage) {
    constexpr double kLong = 4.0;
    const auto processor = processorType(stage.type).make({kRate, 1}, stage.values);
    std::vector<float> signal(static_cast<std::size_t>(kRate * kLong));
    std::uint32_t seed = 1;
    for (std::size_t i = 0; i < signal.size(); ++i) {
        seed = 1664525U * seed + 1013904223U;
        const double t = std::fmod(static_cast<double>(i) / kRate, 0.4);
        signal[i] = static_cast<float>(std::exp(-12.0 * t) *
                                       (static_cast<double>(seed) / 2147483648.0 - 1.0));
    }
    for (auto _ : state) {
        for (std::size_t at = 0; at + kBlock <= signal.size(); at += kBlock) {
            float block[kBlock], other[kBlock];
            std::copy_n(signal.begin() + static_cast<std::ptrdiff_t>(at), kBlock, block);
            const BlockEvent strike;
            if (processor->wantsStrokes() && at % (300 * kBlock) == 0)
                processor->strike({&strike, 1});
            // A seat places one channel between two: there is room for the second.
            const AudioBlock io{{block, other}, 1, kBlock};
            processor->process(io, io);
            benchmark::DoNotOptimize(block);
            benchmark::DoNotOptimize(other);
        }
    }
    state.counters["x real time"] =
        benchmark::Counter(kLong, benchmark::Counter::kIsIterationInvariantRate);
}
BENCHMARK(BM_RenderSeconds)
    ->Arg(15)
    ->Arg(30)
    ->Arg(120)
    ->Unit(benchmark::kMillisecond)
    ->UseRealTime();

// A knob of an equaliser with eight bands is moved, once a callback of 512 frames.
void BM_OneKnob(benchmark::State& state) {
    const ProcessorType& type = processorType("eq");
    std::vector<double> values = standardValues(type.table);
    for (int b = 0; b < 8; ++b) {
        values[static_cast<std::size_t>(eqIndex(b, EqField::on))] = 1.0;
        values[static_cast<std::size_t>(eqIndex(b, EqField::gain))] = 3.0;
    }
    const auto eq = type.make({kRate, 1}, values);
    const int knob = eqIndex(3, EqField::gain);
    float block[kBlock] = {};
    const AudioBlock io{{block, nullptr}, 1, kBlock};
    double gain = 0.0;
    for (auto _ : state) {
        eq->setValue(knob, gain = gain > 6.0 ? 0.0 : gain + 0.01);
        for (int n = 0; n < 8; ++n) eq->process(io, io);
        benchmark::DoNotOptimize(block);
    }
}
BENCHMARK(BM_OneKnob)->Unit(benchmark::kMicrosecond);

// A row's bleed step, for a callback of 512 frames as above: less than an equaliser that moves.
void BM_Bleed(benchmark::State& state) {
    const std::vector<float> sound(48000 * 4, 0.25F);
    BandGains gains;
    gains.grid = bandGrid(48000.0, static_cast<Frames>(sound.size()));
    gains.gain.resize(static_cast<std::size_t>(gains.grid.windows * gains.grid.bands()));
    for (std::size_t i = 0; i < gains.gain.size(); ++i)
        gains.gain[i] = 0.1F + 0.8F * static_cast<float>(i % 7) / 7.0F;
    // Eight strokes a second, each in four windows.
    for (std::int64_t w = 0; w < gains.grid.windows; w += 3)
        gains.cuts.push_back({w, gains.grid.window / 2, gains.cuts.size()});
    gains.before.assign(gains.cuts.size() * static_cast<std::size_t>(gains.grid.bands()), 0.1F);
    BandGainReader reader({sound, 0}, std::make_shared<const BandGains>(std::move(gains)));
    std::vector<float> block(kBlock);
    Frames at = 0;
    for (auto _ : state) {
        for (int n = 0; n < 8; ++n, at += kBlock) {
            reader.read(at, block);
            benchmark::DoNotOptimize(block.data());
        }
        if (at > 190000) at = 0;
    }
}
BENCHMARK(BM_Bleed)->Unit(benchmark::kMicrosecond);

// The bare kernel: sixteen elements side by side in SIMD lanes, the same gate, six sections,
// compressor and pan per sample, then the compressed sum. Constants instead of parameters.
constexpr int kLanes = 16;
struct Kernel {
    float b0[6], b1[6], b2[6], a1[6], a2[6];
    float s1[6][kLanes] = {}, s2[6][kLanes] = {}, position[kLanes] = {}, reduction[kLanes] = {},
          left[kLanes], right[kLanes], busReduction = 0.0F;
};

EMBER_CLONES void runKernel(Kernel& k, const float* in, float* out, std::size_t frames) {
    for (std::size_t i = 0; i < frames; ++i) {
        const float* x0 = in + i * kLanes;
        float x[kLanes], sumLeft = 0.0F, sumRight = 0.0F;
        for (int l = 0; l < kLanes; ++l) {
            const float level = std::abs(x0[l]);
            const float step = level > 0.0316F ? 0.04F : (level < 0.0158F ? -0.00017F : 0.0F);
            k.position[l] = std::min(1.0F, std::max(0.0F, k.position[l] + step));
            const float p = k.position[l];
            x[l] = x0[l] * (0.1F + 0.9F * p * p * (3.0F - 2.0F * p));
        }
        for (int s = 0; s < 6; ++s) {
            for (int l = 0; l < kLanes; ++l) {
                const float y = k.b0[s] * x[l] + k.s1[s][l];
                k.s1[s][l] = k.b1[s] * x[l] - k.a1[s] * y + k.s2[s][l];
                k.s2[s][l] = k.b2[s] * x[l] - k.a2[s] * y;
                x[l] = y;
            }
        }
        for (int l = 0; l < kLanes; ++l) {
            const float power = x[l] * x[l] + 1e-12F;
            const float over = std::max(0.0F, 3.0103F * fastLog2(power) + 24.0F) * 0.75F;
            const float rate = over > k.reduction[l] ? 0.001F : 0.00017F;
            k.reduction[l] += rate * (over - k.reduction[l]);
            x[l] *= fastExp2(-0.166096F * k.reduction[l]);
        }
        for (int l = 0; l < kLanes; ++l) {
            sumLeft += k.left[l] * x[l];
            sumRight += k.right[l] * x[l];
        }
        const float power = std::max(sumLeft * sumLeft, sumRight * sumRight) + 1e-12F;
        const float over = std::max(0.0F, 3.0103F * fastLog2(power) + 20.0F) * 0.75F;
        k.busReduction += (over > k.busReduction ? 0.001F : 0.00017F) * (over - k.busReduction);
        const float gain = fastExp2(-0.166096F * k.busReduction);
        out[2 * i] = sumLeft * gain;
        out[2 * i + 1] = sumRight * gain;
    }
}

void BM_BareKernel16(benchmark::State& state) {
    const FlushToZero flush;
    const auto frames = static_cast<std::size_t>(kSeconds * kRate);
    std::vector<float> in(frames * kLanes), out(frames * 2);
    for (int e = 0; e < kElements; ++e) {
        const auto audio = material(e, kSeconds);
        for (std::size_t i = 0; i < frames; ++i)
            in[i * kLanes + static_cast<std::size_t>(e)] = audio[i];
    }
    Kernel kernel;
    int at = 0;
    for (const double f : {60.0, 100.0, 350.0, 1200.0, 4000.0, 9000.0}) {
        const Biquad b = design(*analogueSections(EqShape::bell, f, 3.0, 0.7, 2).begin(), kRate);
        kernel.b0[at] = static_cast<float>(b.b0);
        kernel.b1[at] = static_cast<float>(b.b1);
        kernel.b2[at] = static_cast<float>(b.b2);
        kernel.a1[at] = static_cast<float>(b.a1);
        kernel.a2[at++] = static_cast<float>(b.a2);
    }
    for (int l = 0; l < kLanes; ++l) {
        kernel.left[l] = 0.5F + 0.03F * static_cast<float>(l);
        kernel.right[l] = 1.0F - 0.03F * static_cast<float>(l);
    }
    for (auto _ : state) {
        runKernel(kernel, in.data(), out.data(), frames);
        benchmark::DoNotOptimize(out.data());
    }
}
BENCHMARK(BM_BareKernel16)->Unit(benchmark::kMillisecond)->UseRealTime();

// The live callback at 64 frames: thread time of every call against 1.333 ms.
void live(benchmark::State& state, const Session& played) {
    Engine engine;
    engine.setPlan(compile(played, store()), kRate);
    engine.setLoop(true, 0, static_cast<Frames>(kSeconds * kRate));
    engine.play();
    std::vector<float> l(64), r(64);
    std::vector<double> load;
    const auto now = [] {
        timespec t{};
        clock_gettime(CLOCK_THREAD_CPUTIME_ID, &t);
        return static_cast<double>(t.tv_sec) + 1e-9 * static_cast<double>(t.tv_nsec);
    };
    for (auto _ : state) {
        for (int n = 0; n < (shortRun() ? 1000 : 40000); ++n) {
            const double start = now();
            engine.process(l.data(), r.data(), 64);
            load.push_back((now() - start) / (64.0 / kRate) * 100.0);
        }
    }
    std::sort(load.begin(), load.end());
    state.counters["median %"] = load[load.size() / 2];
    state.counters["99.99th %"] =
        load[static_cast<std::size_t>(0.9999 * static_cast<double>(load.size() - 1))];
}

void BM_Live24(benchmark::State& state) {
    live(state, session(24, kSeconds));
}
BENCHMARK(BM_Live24)->Iterations(1)->Unit(benchmark::kMillisecond);

// Four stacks of ten layers each, all of which sound all the time: forty voices.
void BM_Live40Voices(benchmark::State& state) {
    constexpr double kLong = 2.0;
    Session s = session(4, kLong);
    std::vector<Stroke> strokes;
    for (double time = 0.0; time < kSeconds; time += kLong) {
        for (int i = 0; i < 4; ++i) {
            Stroke stroke;
            stroke.time = time;
            stroke.drum = "e" + std::to_string(i);
            stroke.velocity = 0.9;
            strokes.push_back(stroke);
        }
    }
    s.strokes = Shared(strokes);
    for (int i = 0; i < 4; ++i) {
        Row& row = requireRow(s, "e" + std::to_string(i));
        row.sources.clear();
        row.role = Role::sample;
        row.drum = row.id;
        for (int l = 0; l < 10; ++l)
            row.layers.push_back(
                makeLayer("l" + std::to_string(l), "L", {{fileOf(l, kLong).string(), ""}}));
    }
    live(state, s);
}
BENCHMARK(BM_Live40Voices)->Iterations(1)->Unit(benchmark::kMillisecond);

// One for every processor of the full chain.
void registerProcessors() {
    const Session everything = fullSession(1, 2.0);
    std::vector<Stage> stages = everything.rows.front().chain;
    // A space stands on a bus, not in every row.
    stages.push_back(makeStage("reverb"));
    stages.back().on = true;
    for (const Stage& stage : stages) {
        if (stage.on)
            benchmark::RegisterBenchmark(("BM_Processor/" + stage.id).c_str(), BM_Processor, stage)
                ->Unit(benchmark::kMillisecond);
    }
}

}  // namespace
}  // namespace ember

int main(int argc, char** argv) {
    ember::registerProcessors();
    benchmark::Initialize(&argc, argv);
    benchmark::RunSpecifiedBenchmarks();
    benchmark::Shutdown();
    return 0;
}
