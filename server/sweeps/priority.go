package sweeps

import (
	"log/slog"
	"runtime"
	"sync"

	"golang.org/x/sys/unix"
)

// niceness of the threads that try failures: whoever works with the server goes first.
const niceness = 10

var noNice sync.Once

// lower has the goroutine that calls it run with a low priority from now on, on a thread of its own.
func lower() {
	runtime.LockOSThread() // the thread ends with the goroutine: its priority is nobody else's
	if err := unix.Setpriority(unix.PRIO_PROCESS, unix.Gettid(), niceness); err != nil {
		noNice.Do(func() { slog.Warn("sweeps have the priority of all else", "error", err) })
	}
}
