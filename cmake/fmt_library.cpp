// All of fmt in one object: Debian has no static form of it, and its header-only form doubles the
// time of every build. Compiled with -fkeep-inline-functions.
#define FMT_HEADER_ONLY 1
#include <fmt/format.h>
