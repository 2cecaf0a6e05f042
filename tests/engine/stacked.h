// A row of layers under a snare, made for a test.
#pragma once

#include "core/engine/render.h"
#include "core/engine/stack.h"
#include "core/measure/strokes/kinds.h"
#include "core/session/kit.h"
#include "core/session/layers.h"
#include "tests/engine/live.h"

#include <gtest/gtest.h>

#include <memory>
#include <string>
#include <vector>

namespace ember::test {

inline std::vector<float> burst(std::size_t frames, std::uint64_t seed = 3) {
    std::vector<float> out = noise(0.5, frames, seed);
    for (std::size_t i = 0; i < frames; ++i)
        out[i] *= static_cast<float>(1.0 - static_cast<double>(i) / static_cast<double>(frames));
    return out;
}

inline Stroke strokeAt(double time, double velocity = 0.9, StrokeKind kind = StrokeKind::accent) {
    Stroke s;
    s.time = time;
    s.drum = "snare";
    s.mic = "one";
    s.velocity = velocity;
    s.levelDb = levelFromVelocity(velocity);
    s.kind = kind;
    s.confidence = 1.0;
    return s;
}

inline std::shared_ptr<const Stack> stackOf(const Session& session, const std::string& id,
                                            std::vector<std::string>& problems) {
    const Row& row = *findRow(session, id);
    return makeStack(session, row, readyLayers(session, row, sharedStore(), problems));
}

// One row of layers under a snare, and nothing else that sounds.
struct Stacked {
    TempFolder folder;
    Session session;

    explicit Stacked(const std::vector<std::vector<float>>& sounds, std::vector<Stroke> strokes) {
        writeMono(folder / "mic.wav", std::vector<float>(96000, 0.0F));
        session = oneElement(folder / "mic.wav");
        session.rows.front().role = Role::snareTop;
        session = withDrums(std::move(session));
        std::vector<Source> files;
        for (std::size_t i = 0; i < sounds.size(); ++i) {
            const auto file = folder / ("sound" + std::to_string(i) + ".wav");
            writeMono(file, sounds[i]);
            files.push_back({file.string(), ""});
        }
        session = withLayerRow(std::move(session), "snare", files, "Stack").session;
        session.strokes = Shared(std::move(strokes));
        for (Layer& layer : findRow(session, "stack")->layers) layer.values[Layer::fadeOut] = 0.0;
    }
    void set(const std::string& layer, const std::string& parameter, double value) {
        session = withLayerValue(session, "stack", layer, parameter, value);
    }
    // So soft that the monitor's ceiling is far away.
    void soften() { session = withValue(session, "main", "seat", "level", -30.0); }
    [[nodiscard]] std::vector<float> rendered(int block = 4096, int threads = 1) const {
        RenderOptions options;
        options.block = block;
        options.threads = threads;
        options.to = 2.0;
        return renderMix(session, sharedStore(), options).channels[0];
    }
    [[nodiscard]] std::shared_ptr<const Stack> stack() const {
        std::vector<std::string> problems;
        auto made = stackOf(session, "stack", problems);
        EXPECT_TRUE(problems.empty());
        return made;
    }
};

}  // namespace ember::test
