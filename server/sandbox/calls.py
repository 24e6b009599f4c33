"""The kernel's calls that a child may make, by list (seccomp, Linux 3.17): files that are open to
it, memory of its own, threads, time. All else is refused: other machines, other processes, rights
and owners of files, the system itself."""

import errno
import os

import pyseccomp

# files; which ones, `reach` says
_FILES = (
    "read", "readv", "pread64", "preadv", "write", "writev", "pwrite64", "pwritev", "open",
    "openat", "close", "close_range", "lseek", "fstat", "stat", "lstat", "newfstatat", "statx",
    "access", "faccessat", "faccessat2", "readlink", "readlinkat", "getcwd", "getdents64", "flock",
    "dup", "dup2", "dup3", "ftruncate", "fallocate", "fsync", "fdatasync", "fadvise64", "unlink",
    "unlinkat", "mkdir", "mkdirat", "rmdir", "rename", "renameat", "renameat2", "umask", "statfs",
    "fstatfs", "copy_file_range", "sendfile", "pipe", "pipe2", "poll", "ppoll", "select",
    "pselect6", "epoll_create1", "epoll_ctl", "epoll_wait", "epoll_pwait", "eventfd2",
)  # fmt: skip
_MEMORY = (
    "brk", "munmap", "mremap", "mprotect", "madvise", "msync", "mincore", "mbind", "get_mempolicy",
    "membarrier",
)  # fmt: skip
_THREADS = (
    "futex", "set_robust_list", "get_robust_list", "set_tid_address", "rseq", "arch_prctl",
    "sched_yield", "sched_getaffinity", "getcpu", "rt_sigaction", "rt_sigprocmask", "rt_sigreturn",
    "rt_sigpending", "rt_sigtimedwait", "rt_sigsuspend", "sigaltstack", "restart_syscall", "exit",
    "exit_group",
)  # fmt: skip
_TELLING = (
    "getpid", "gettid", "getppid", "getuid", "geteuid", "getgid", "getegid", "getresuid",
    "getresgid", "getgroups", "uname", "sysinfo", "getrandom", "getrusage", "times", "time",
    "gettimeofday", "clock_gettime", "clock_getres", "clock_nanosleep", "nanosleep",
)  # fmt: skip
_CLONE_THREAD = 0x00010000
_MAP_TYPE, _MAP_SHARED, _MAP_PRIVATE, _MAP_ANONYMOUS = 0x0F, 0x01, 0x02, 0x20
_PROT_WRITE = 0x2
# fcntl: copies of a handle, its flags, locks; not who is told of it by a signal
_HANDLES = (0, 1, 2, 3, 4, 5, 6, 7, 1030)
# ioctl: whether it is a terminal and how wide, what is there to read, close with the program, wait
_DEVICES = (0x5401, 0x5413, 0x541B, 0x5450, 0x5451, 0x5421)
# prctl: the name of a thread
_NAMES = (15, 16)


def allow_only() -> None:
    """Let the kernel refuse all other calls of this process from now on. Raises OSError where it
    takes no such rules."""
    rules = pyseccomp.SyscallFilter(pyseccomp.ERRNO(errno.EPERM))
    for name in (*_FILES, *_MEMORY, *_THREADS, *_TELLING):
        try:
            rules.add_rule(pyseccomp.ALLOW, name)
        except ValueError:
            continue  # there is no such call on this kind of machine, so none is made
    # threads are begun, processes are not; the newer call hides which, and the library then takes
    # the older one
    rules.add_rule(pyseccomp.ERRNO(errno.ENOSYS), "clone3")
    thread = pyseccomp.Arg(0, pyseccomp.MASKED_EQ, _CLONE_THREAD, _CLONE_THREAD)
    rules.add_rule(pyseccomp.ALLOW, "clone", thread)
    # memory that is shared would not count as this process's; files may be looked at so
    private = pyseccomp.Arg(3, pyseccomp.MASKED_EQ, _MAP_TYPE, _MAP_PRIVATE)
    rules.add_rule(pyseccomp.ALLOW, "mmap", private)
    unwritten = pyseccomp.Arg(2, pyseccomp.MASKED_EQ, _PROT_WRITE, 0)
    of_a_file = pyseccomp.Arg(3, pyseccomp.MASKED_EQ, _MAP_TYPE | _MAP_ANONYMOUS, _MAP_SHARED)
    rules.add_rule(pyseccomp.ALLOW, "mmap", unwritten, of_a_file)
    # to end oneself, as `abort` does, and to look at one's own limits
    rules.add_rule(pyseccomp.ALLOW, "tgkill", pyseccomp.Arg(0, pyseccomp.EQ, os.getpid()))
    rules.add_rule(pyseccomp.ALLOW, "prlimit64", pyseccomp.Arg(0, pyseccomp.EQ, 0))
    for call, at, values in (("fcntl", 1, _HANDLES), ("ioctl", 1, _DEVICES), ("prctl", 0, _NAMES)):
        for value in values:
            rules.add_rule(pyseccomp.ALLOW, call, pyseccomp.Arg(at, pyseccomp.EQ, value))
    rules.load()
