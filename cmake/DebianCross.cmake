# For `./dev cross`: Debian's compiler for another processor, and that processor's packages beside ours.
# BAYSWAP_MACHINE is what the compiler's name begins with: aarch64 or s390x.
list(APPEND CMAKE_TRY_COMPILE_PLATFORM_VARIABLES BAYSWAP_MACHINE)
set(CMAKE_SYSTEM_NAME Linux)
set(CMAKE_SYSTEM_PROCESSOR ${BAYSWAP_MACHINE})
set(CMAKE_CXX_COMPILER ${BAYSWAP_MACHINE}-linux-gnu-g++)
set(CMAKE_LIBRARY_ARCHITECTURE ${BAYSWAP_MACHINE}-linux-gnu)
set(CMAKE_CROSSCOMPILING_EMULATOR qemu-${BAYSWAP_MACHINE})
set(CMAKE_FIND_ROOT_PATH_MODE_PROGRAM NEVER)
set(PKG_CONFIG_EXECUTABLE pkg-config)
set(ENV{PKG_CONFIG_LIBDIR} /usr/lib/${BAYSWAP_MACHINE}-linux-gnu/pkgconfig:/usr/share/pkgconfig)
