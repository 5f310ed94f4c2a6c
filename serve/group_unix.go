//go:build unix

package serve

import (
	"os/exec"
	"syscall"
)

// grouped lets a command and its children be ended together.
func grouped(cmd *exec.Cmd) {
	cmd.SysProcAttr = &syscall.SysProcAttr{Setpgid: true}
	cmd.Cancel = func() error { return syscall.Kill(-cmd.Process.Pid, syscall.SIGKILL) }
}
