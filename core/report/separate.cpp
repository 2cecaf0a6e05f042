#include "core/report/separate.h"

#include "core/audio/file.h"
#include "core/base/error.h"
#include "core/base/units.h"
#include "core/session/bleed.h"

#include <algorithm>
#include <cmath>
#include <memory>

namespace ember {

std::vector<PartFile> writeParts(const Session& session, AudioStore& store, const BleedModel& model,
                                 const std::vector<std::string>& rows,
                                 const std::filesystem::path& folder, const Progress& progress) {
    const KitMics kit = kitMics(session, store);
    std::vector<const MicSignal*> mics;
    for (const MicSignal& mic : kit.mics) {
        const bool named = std::find(rows.begin(), rows.end(), mic.id) != rows.end();
        if ((rows.empty() || named) && model.channelOf(mic.id, 0) >= 0) mics.push_back(&mic);
    }
    for (const std::string& row : rows) {
        if (std::none_of(mics.begin(), mics.end(), [&](const auto* m) { return m->id == row; }))
            throw Error("“" + row + "” is no microphone of the kit; name others, or none for all.");
    }
    std::filesystem::create_directories(folder);
    std::vector<PartFile> out;
    for (std::size_t m = 0; m < mics.size(); ++m) {
        report(progress, static_cast<double>(m) / static_cast<double>(mics.size()), mics[m]->name);
        for (std::size_t part = 0; part <= model.drums.size(); ++part) {
            PartFile file;
            file.row = mics[m]->id;
            file.drum = part < model.drums.size() ? model.drums[part] : std::string(kNoDrum);
            file.file = folder / (file.row + "__" + file.drum + ".wav");
            AudioBuffer audio{kit.sampleRate, {}};
            double sum = 0.0;
            std::size_t count = 0;
            for (int c = 0; c < static_cast<int>(mics[m]->channels.size()); ++c) {
                audio.channels.push_back(partOf(model, *mics[m], c, part));
                for (const float v : audio.channels.back()) sum += static_cast<double>(v * v);
                count += audio.channels.back().size();
            }
            file.loudnessDb =
                dbFromGain(std::sqrt(sum / static_cast<double>(std::max<std::size_t>(1, count))));
            writeAudio(file.file, audio, SampleDepth::float32);
            out.push_back(std::move(file));
        }
    }
    return out;
}

}  // namespace ember
