#include "core/base/memory.h"

#include <malloc.h>
#include <sys/mman.h>

#include <cstdlib>
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
  void* block = std::aligned_alloc(kPage, whole);
  if (!block) throw std::bad_alloc();
#ifdef MADV_HUGEPAGE
  madvise(block, whole, MADV_HUGEPAGE);  // a wish: nothing depends on it
#endif
  return block;
}

}  // namespace dusky
