"""CAD through the kernel: files, measures, tessellation, openings, the fluid inside."""
