#pragma once
#include <cstddef>

namespace dusky {

/// Asks the allocator to keep large blocks for the next frame instead of handing them back to the system with every one: pictures come and
/// go all the time, and fresh pages cost more than what is computed on them. Once, at the start of a program.
void keepLargeBlocks();

/// A block on pages as large as the system has, which a walk over a picture's rows needs: with small pages every row is looked up anew.
/// Blocks given back are kept for the next, also for one of another thread. Throws std::bad_alloc.
void* largeBlock(std::size_t bytes);
void freeLargeBlock(void* block);

}  // namespace dusky
