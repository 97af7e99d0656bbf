package safefile

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"strings"
	"time"
)

// lock is a file that is open and locked; zero is none. The system ends it with the process, however that ends.
type lock struct {
	file *os.File
	none bool // the file system has no locks
}

func (l *lock) release() {
	if l.file != nil {
		_ = l.file.Close()
	}
}

// again is how often it is tried to take a lock.
const again = 20 * time.Millisecond

// take waits for a lock until the context ends. waiting is called once when there is something to wait for. File
// systems without locks have none to wait for.
func (l *lock) take(ctx context.Context, write bool, waiting func()) error {
	for {
		busy, err := tryLock(l.file, write)
		if err != nil || !busy {
			l.none = err != nil
			return nil
		}
		if waiting != nil {
			waiting()
			waiting = nil
		}
		select {
		case <-ctx.Done():
			return ctx.Err()
		case <-time.After(again):
		}
	}
}

// BusyError says that another run holds a lock.
type BusyError struct {
	Holder string        // as that run called itself
	Waited time.Duration // for it to end
}

// Error says who holds the lock.
func (e *BusyError) Error() string {
	if e.Waited == 0 {
		return fmt.Sprintf("%s is at work in this project, and --no-wait says not to wait for it", e.Holder)
	}
	return fmt.Sprintf("%s is at work in this project, and has not ended for %v; try again later", e.Holder, e.Waited)
}

// Lock waits until this run alone holds the lock file path, for at most so long, and says with waiting for whom it
// waits. holder is how others call this run. The lock ends with unlock, or with the process; the file stays. Errors are
// *BusyError, that of the context, and those of the disk.
func Lock(ctx context.Context, path, holder string, wait time.Duration,
	waiting func(holder string)) (unlock func(), err error) {
	f, err := os.OpenFile(path, os.O_RDWR|os.O_CREATE, 0o644)
	if err != nil {
		return nil, fmt.Errorf("locking the project: %w", err)
	}
	l := &lock{file: f}
	other := func() string {
		text, _ := io.ReadAll(io.NewSectionReader(f, 0, 200))
		if name := strings.TrimSpace(string(text)); name != "" {
			return name
		}
		return "another run"
	}
	limited, cancel := context.WithTimeout(ctx, wait)
	defer cancel()
	err = l.take(limited, true, func() {
		if wait > 0 && waiting != nil {
			waiting(other())
		}
	})
	switch {
	case ctx.Err() != nil:
		err = ctx.Err()
	case errors.Is(err, context.DeadlineExceeded):
		err = &BusyError{other(), wait}
	}
	if err == nil {
		if err = f.Truncate(0); err == nil {
			_, err = f.WriteAt([]byte(holder+"\n"), 0)
		}
	}
	if err != nil {
		l.release()
		return nil, err
	}
	return func() { _ = f.Truncate(0); l.release() }, nil
}
