// Work that nobody waits for steps back behind sound and window.
#pragma once

#include <sys/resource.h>

namespace ember {

// Lowers the calling thread's share of the processor for good (Linux: nice is per thread).
inline void stepBack() {
    setpriority(PRIO_PROCESS, 0, 12);
}

}  // namespace ember
