// Counts what the current thread allocates while it lives.
#pragma once

#include <cstddef>

namespace ember::test {

class AllocationGuard {
  public:
    AllocationGuard();
    ~AllocationGuard();
    AllocationGuard(const AllocationGuard&) = delete;
    AllocationGuard& operator=(const AllocationGuard&) = delete;
    [[nodiscard]] std::size_t count() const;
};

}  // namespace ember::test
