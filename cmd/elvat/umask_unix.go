//go:build unix

package main

import "syscall"

// keepPrivate has every file that is made be readable by its owner alone.
func keepPrivate() { syscall.Umask(0o077) }
