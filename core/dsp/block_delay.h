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
    // The same at a delay that goes evenly from one length to another, at most four frames away, by
    // the cubic through the four samples around each place.
    void readMoving(float* out, int count, double from, double to) const;
    void write(const float* in, int count);

  private:
    // `count` frames from `back` frames before the block that is written next.
    void copy(float* out, int count, int back) const;

    std::vector<float> ring_;
    int frames_ = 0, at_ = 0;
};

}  // namespace ember
