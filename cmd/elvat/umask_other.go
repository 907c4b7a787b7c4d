//go:build !unix

package main

// keepPrivate does nothing where files have no modes: folders are private there by their place.
func keepPrivate() {}
