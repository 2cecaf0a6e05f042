// A delay that is read and written a block at a time, also at places in between.
#pragma once

#include <vector>

namespace ember {

// At least kBlock frames long. read() and write() are real-time safe.
class BlockDelay {
  public:
    void prepare(int frames, int most);  // `most`: frames by which it may be read later
    void reset();
    [[nodiscard]] int frames() const { return frames_; }
    // What was written `frames()` + `later` frames before the block that is written next.
    void read(float* out, int count, int later = 0) const;
    // One sample at a delay in between, by the cubic through its four neighbours.
    [[nodiscard]] float readAt(double delay, int frame) const;
    void write(const float* in, int count);

  private:
    std::vector<float> ring_;
    int frames_ = 0, at_ = 0;
};

}  // namespace ember
