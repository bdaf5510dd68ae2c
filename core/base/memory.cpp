#include "core/base/memory.h"

#include <malloc.h>
#include <oneapi/tbb/scalable_allocator.h>
#include <sys/mman.h>

#include <new>

namespace dusky {

void keepLargeBlocks() {
#ifdef M_MMAP_THRESHOLD
  mallopt(M_MMAP_THRESHOLD, 64 << 20);
  mallopt(M_TRIM_THRESHOLD, 128 << 20);
#endif
}

void* largeBlock(std::size_t bytes) {
  constexpr std::size_t kPage = 2 << 20;
  const std::size_t whole = (bytes + kPage - 1) / kPage * kPage;
  void* block = scalable_aligned_malloc(whole, kPage);
  if (!block) throw std::bad_alloc();
#ifdef MADV_HUGEPAGE
  madvise(block, whole, MADV_HUGEPAGE);  // a wish: nothing depends on it
#endif
  return block;
}

void freeLargeBlock(void* block) { scalable_aligned_free(block); }

}  // namespace dusky
