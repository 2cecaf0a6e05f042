#include "core/engine/stem_files.h"

#include "core/base/error.h"
#include "core/session/kit.h"

#include <algorithm>

namespace ember {
namespace fs = std::filesystem;

StemFile::StemFile(const fs::path& path, int rate, Frames skip, Frames frames, Frames begins)
    : writer_(path, 2, rate, SampleDepth::float32, begins), skip_(skip), left_(frames) {}

void StemFile::add(const float* left, const float* right) {
    piece_.clear();
    for (int i = 0; i < kBlock; ++i) {
        if (skip_ > 0) {
            --skip_;
        } else if (left_ > 0) {
            --left_;
            piece_.push_back(left[i]);
            piece_.push_back(right[i]);
        }
    }
    if (!piece_.empty()) writer_.write(piece_);
}

StemFiles::StemFiles(const Session& session, const Plan& plan, fs::path folder,
                     const SongSpan& span, const StemSet& set, std::vector<fs::path>& made)
    : session_(session),
      plan_(plan),
      folder_(std::move(folder)),
      span_(span),
      set_(set),
      made_(made) {}

void StemFiles::addElement(const std::string& id, Frames late) {
    const Row& row = *findRow(session_, id);
    const std::size_t element = elements_++;
    if (set_.elements) {
        pre_.push_back(open("pre-bus", nameOf(row), late));
        through_.push_back(open("through-buses", nameOf(row), plan_.latency()));
        if (set_.returns == Returns::wet) wet_.push_back(open("wet", nameOf(row), plan_.latency()));
    }
    if (set_.groups) {
        const std::string group = stemGroupOf(session_, row);
        join("groups", group, nameOf(*findRow(session_, group)), element);
    }
    if (set_.drums && !row.drum.empty()) join("drums", row.drum, row.drum, element);
}

void StemFiles::addReturn(const std::string& id) {
    returns_.push_back(open("returns", nameOf(*findRow(session_, id)), plan_.latency()));
}

void StemFiles::join(const std::string& kind, const std::string& id, const std::string& name,
                     std::size_t element) {
    const std::string whole = kind + "/" + id;
    auto group =
        std::find_if(groups_.begin(), groups_.end(), [&](const Group& g) { return g.id == whole; });
    if (group == groups_.end()) {
        group = groups_.insert(groups_.end(), Group{});
        group->id = whole;
        group->file = open(kind, name, plan_.latency());
        if (set_.returns == Returns::wet)
            group->wetFile = open(kind + "-wet", name, plan_.latency());
    }
    group->members.push_back(element);
}

void StemFiles::add(std::size_t i, const Sides& before, const Sides& through, const Sides& wet) {
    const bool beside = set_.returns == Returns::wet;
    if (set_.elements) {
        pre_[i]->add(before[0], before[1]);
        through_[i]->add(through[0], through[1]);
        if (beside) wet_[i]->add(wet[0], wet[1]);
    }
    for (Group& group : groups_) {
        if (std::find(group.members.begin(), group.members.end(), i) == group.members.end())
            continue;
        for (std::size_t c = 0; c < 2; ++c) {
            for (std::size_t k = 0; k < kBlock; ++k) {
                group.sum[c][k] += through[c][k];
                if (beside) group.wetSum[c][k] += wet[c][k];
            }
        }
    }
}

void StemFiles::endBlock() {
    for (Group& group : groups_) {
        group.file->add(group.sum[0].data(), group.sum[1].data());
        if (group.wetFile) group.wetFile->add(group.wetSum[0].data(), group.wetSum[1].data());
        group.sum = {};
        group.wetSum = {};
    }
}

void StemFiles::finish() {
    for (auto* files : {&pre_, &through_, &wet_, &returns_}) {
        for (auto& file : *files) file->finish();
    }
    for (Group& group : groups_) {
        group.file->finish();
        if (group.wetFile) group.wetFile->finish();
    }
}

std::string StemFiles::nameOf(const Row& row) const {
    return set_.name ? set_.name(row) : row.id;
}

std::unique_ptr<StemFile> StemFiles::open(const std::string& kind, const std::string& name,
                                          Frames late) {
    const fs::path place = folder_ / kind;
    std::error_code code;
    fs::create_directories(place, code);
    if (code)
        throw Error("The folder “" + place.string() +
                    "” cannot be made: choose one you may write to.");
    const fs::path path = place / (name + ".wav");
    protectSources(session_, path);
    made_.push_back(path);
    return std::make_unique<StemFile>(path, session_.sampleRate, span_.from + late,
                                      span_.to - span_.from, span_.from);
}

}  // namespace ember
