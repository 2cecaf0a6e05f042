// The one way a job fails: a sentence a person can act on.
#pragma once

#include <stdexcept>

namespace ember {

// what() is one clear sentence that names the place and the remedy.
// Never thrown on the audio thread.
class Error : public std::runtime_error {
  public:
    using std::runtime_error::runtime_error;
};

// Thrown by long jobs when their Progress asked them to stop.
class Cancelled : public Error {
  public:
    Cancelled() : Error("Cancelled; nothing was changed.") {}
};

}  // namespace ember
