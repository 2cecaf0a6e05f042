// The files that stems go into, as they are rendered block by block.
#pragma once

#include "core/engine/plan.h"
#include "core/engine/render.h"
#include "core/engine/render_span.h"

#include <array>
#include <filesystem>
#include <memory>
#include <string>
#include <vector>

namespace ember {

// Cuts the frames before song zero from a stream of blocks and writes the rest.
class StemFile {
  public:
    // `begins`: in the song, frames from its zero.
    StemFile(const std::filesystem::path& path, int rate, Frames skip, Frames frames,
             Frames begins);
    void add(const float* left, const float* right);  // a block
    void finish() { writer_.finish(); }

  private:
    AudioWriter writer_;
    Frames skip_, left_;
    std::vector<float> piece_;
};

// All files of a set of stems, and the sums that are groups. Throws Error where one cannot be
// written; none is there before finish().
class StemFiles {
  public:
    using Sides = std::array<const float*, 2>;

    // `made` gets the path of every file.
    StemFiles(const Session& session, const Plan& plan, std::filesystem::path folder,
              const SongSpan& span, const StemSet& set, std::vector<std::filesystem::path>& made);
    // `late`: how late the element leaves its fader, frames.
    void addElement(const std::string& id, Frames late);
    void addReturn(const std::string& id);
    // A block of element `i`, in the order in which they were added, before and through its buses,
    // and what goes beside it where returns are wet.
    void add(std::size_t i, const Sides& before, const Sides& through, const Sides& wet);
    void addOfReturn(std::size_t i, const Sides& heard) { returns_[i]->add(heard[0], heard[1]); }
    void endBlock();
    void finish();

  private:
    // Elements that are heard together.
    struct Group {
        std::string id;
        std::vector<std::size_t> members;  // places of elements
        std::unique_ptr<StemFile> file, wetFile;
        std::array<std::array<float, kBlock>, 2> sum{}, wetSum{};
    };

    std::unique_ptr<StemFile> open(const std::string& kind, const std::string& name, Frames late);
    [[nodiscard]] std::string nameOf(const Row& row) const;
    void join(const std::string& kind, const std::string& id, const std::string& name,
              std::size_t element);

    const Session& session_;
    const Plan& plan_;
    std::filesystem::path folder_;
    SongSpan span_;
    const StemSet& set_;
    std::vector<std::filesystem::path>& made_;
    std::vector<std::unique_ptr<StemFile>> pre_, through_, wet_, returns_;
    std::vector<Group> groups_;
    std::size_t elements_ = 0;
};

}  // namespace ember
