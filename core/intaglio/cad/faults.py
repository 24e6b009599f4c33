"""What the CAD kernel raises: classes without a common base, each of a module of the kernel's."""


def is_kernel_fault(error: BaseException) -> bool:
    """Whether the CAD kernel raised an error. Failures that it has no class for come as
    RuntimeError, as others' do: they count where nothing but the kernel is called."""
    return type(error).__module__.split(".")[0] == "OCP"
