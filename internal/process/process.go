// Package process runs processes that this one starts and that do not outlive it.
package process

import (
	"errors"
	"os"
	"os/exec"
	"runtime"
	"syscall"
)

// Process is a process that was started.
type Process struct {
	process *os.Process
	done    chan struct{}
	failure error
}

// Start starts a command in a process group of its own, so that a signal to the terminal's processes is for its starter to
// pass on. When the starter ends, however it does, the system asks the process to end.
func Start(command *exec.Cmd) (*Process, error) {
	command.SysProcAttr = &syscall.SysProcAttr{Pdeathsig: syscall.SIGTERM, Setpgid: true}
	p := &Process{done: make(chan struct{})}
	started := make(chan error)
	go func() {
		// The system goes by the thread that started the process: that thread is kept until the process has ended.
		runtime.LockOSThread()
		err := command.Start()
		started <- err
		if err == nil {
			p.failure = command.Wait()
			close(p.done)
		}
	}()
	if err := <-started; err != nil {
		return nil, err
	}
	p.process = command.Process
	return p, nil
}

// Done is closed when the process has ended.
func (p *Process) Done() <-chan struct{} { return p.done }

// Failure returns why the process ended, once it has; nil when it ended well.
func (p *Process) Failure() error { return p.failure }

// Stop asks the process to end and waits until it has.
func (p *Process) Stop() error {
	if err := p.process.Signal(syscall.SIGTERM); err != nil && !errors.Is(err, os.ErrProcessDone) {
		return err
	}
	<-p.done
	return p.failure
}

// Kill ends the process at once, as a crash would, and waits until it has ended.
func (p *Process) Kill() error {
	if err := p.process.Kill(); err != nil && !errors.Is(err, os.ErrProcessDone) {
		return err
	}
	<-p.done
	return nil
}
