// What drums without a microphone of their own look like before anything is learnt.
#pragma once

#include "core/measure/strokes/pictures.h"

namespace ember {

// Pictures of a drum over the microphones that hear the whole kit; none when there are none.
std::vector<Template> guessPictures(const Scene& scene, int drum);

}  // namespace ember
