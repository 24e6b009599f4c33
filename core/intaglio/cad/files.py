"""The files of CAD, by suffix. Nothing here loads the kernel."""

# suffixes that are read, and the kind of each
CAD_READ = {
    ".step": "STEP",
    ".stp": "STEP",
    ".iges": "IGES",
    ".igs": "IGES",
    ".brep": "BREP",
    ".brp": "BREP",
}
# suffixes that are written
CAD_WRITTEN = (".step", ".stp", ".brep")
