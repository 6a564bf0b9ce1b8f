"""The stand-in instruments, one module each."""
