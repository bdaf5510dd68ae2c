#pragma once

namespace dusky {

/// Asks the allocator to keep large blocks for the next frame instead of handing them back to the system with every one: pictures come and
/// go all the time, and fresh pages cost more than what is computed on them. Once, at the start of a program.
void keepLargeBlocks();

}  // namespace dusky
