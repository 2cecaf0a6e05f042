// Run-time dispatch: a function marked EMBER_CLONES is compiled for several
// instruction sets and the best one is chosen when the program starts. All give
// the same samples, since floating-point contraction is off in the whole project.
#pragma once

#if defined(__x86_64__) && defined(__GNUC__) && !defined(__clang__) && \
    !defined(__SANITIZE_ADDRESS__) && !defined(__SANITIZE_THREAD__)
#define EMBER_CLONES [[gnu::target_clones("avx512f", "avx2", "default")]]
#else
#define EMBER_CLONES
#endif
