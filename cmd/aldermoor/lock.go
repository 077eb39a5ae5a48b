package main

import (
	"os"
	"syscall"
)

// lockFolder takes the lock file of a data folder. The system lets go of it when
// the process ends, however it ends.
func lockFolder(name string) (unlock func(), err error) {
	f, err := os.OpenFile(name, os.O_CREATE|os.O_RDWR, 0o600)
	if err != nil {
		return nil, err
	}
	if err := syscall.Flock(int(f.Fd()), syscall.LOCK_EX|syscall.LOCK_NB); err != nil {
		f.Close()
		return nil, err
	}
	return func() { f.Close() }, nil
}
