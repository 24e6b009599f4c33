"""CAD through the kernel: files, measures, tessellation, openings, the fluid inside."""

from OCP.Message import Message

# the kernel reports to the terminal by itself; what matters reaches the analyst as errors here
Message.DefaultMessenger_s().ChangePrinters().Clear()
