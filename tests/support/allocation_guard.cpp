#include "tests/support/allocation_guard.h"

#include <cstdlib>
#include <new>

// Clang's thread sanitizer brings these itself and takes no others: under it nothing is counted.
#if defined(__has_feature)
#if __has_feature(thread_sanitizer)
#define EMBER_COUNTS_NOTHING
#endif
#endif

namespace {

thread_local bool watching = false;
thread_local std::size_t allocations = 0;

#ifndef EMBER_COUNTS_NOTHING
void* tryTake(std::size_t bytes, std::size_t alignment) noexcept {
    if (watching) ++allocations;
    return alignment > alignof(std::max_align_t)
               ? std::aligned_alloc(alignment, (bytes + alignment - 1) / alignment * alignment)
               : std::malloc(bytes == 0 ? 1 : bytes);
}

void* take(std::size_t bytes, std::size_t alignment) {
    void* memory = tryTake(bytes, alignment);
    if (memory == nullptr) throw std::bad_alloc();
    return memory;
}
#endif

}  // namespace

#ifndef EMBER_COUNTS_NOTHING
void* operator new(std::size_t bytes) {
    return take(bytes, 0);
}
void* operator new[](std::size_t bytes) {
    return take(bytes, 0);
}
void* operator new(std::size_t bytes, std::align_val_t alignment) {
    return take(bytes, static_cast<std::size_t>(alignment));
}
void* operator new[](std::size_t bytes, std::align_val_t alignment) {
    return take(bytes, static_cast<std::size_t>(alignment));
}
// The library's own buffers ask without exceptions; a sanitizer would otherwise serve those itself.
void* operator new(std::size_t bytes, const std::nothrow_t&) noexcept {
    return tryTake(bytes, 0);
}
void* operator new[](std::size_t bytes, const std::nothrow_t&) noexcept {
    return tryTake(bytes, 0);
}
void operator delete(void* memory) noexcept {
    std::free(memory);
}
void operator delete[](void* memory) noexcept {
    std::free(memory);
}
void operator delete(void* memory, std::size_t) noexcept {
    std::free(memory);
}
void operator delete[](void* memory, std::size_t) noexcept {
    std::free(memory);
}
void operator delete(void* memory, std::align_val_t) noexcept {
    std::free(memory);
}
void operator delete[](void* memory, std::align_val_t) noexcept {
    std::free(memory);
}
void operator delete(void* memory, std::size_t, std::align_val_t) noexcept {
    std::free(memory);
}
void operator delete[](void* memory, std::size_t, std::align_val_t) noexcept {
    std::free(memory);
}
#endif

namespace ember::test {

AllocationGuard::AllocationGuard() {
    allocations = 0;
    watching = true;
}
AllocationGuard::~AllocationGuard() {
    watching = false;
}
std::size_t AllocationGuard::count() const {
    return allocations;
}

}  // namespace ember::test
