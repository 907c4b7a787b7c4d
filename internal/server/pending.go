package server

import (
	"crypto/rand"
	"sync"
	"time"

	"github.com/go-webauthn/webauthn/webauthn"
)

// A pending is what stands between two requests of one person: a sign-in that waits for its
// second factor, or a factor that is being set up. It is gone when the program ends.
type pending struct {
	person int64
	until  time.Time
	tries  int
	key    string                // of one-time codes, being set up
	asked  *webauthn.SessionData // of a passkey
	making bool                  // a factor is being set up
}

// Bounds of what waits for its second half. Assumption.
const (
	pendingFor  = 5 * time.Minute
	mostTries   = 5
	mostPending = 4096
)

// pendings are those by their tickets.
type pendings struct {
	mu  sync.Mutex
	all map[string]*pending
}

func newPendings() *pendings { return &pendings{all: map[string]*pending{}} }

// add keeps one and returns its ticket.
func (h *pendings) add(one pending) string {
	ticket := rand.Text() + rand.Text()
	h.mu.Lock()
	defer h.mu.Unlock()
	if len(h.all) >= mostPending {
		clear(h.all) // they sign in again
	}
	h.all[ticket] = &one
	return ticket
}

// try counts a try of the ticket and returns what it stands for; ok is false where it has run
// out.
func (h *pendings) try(ticket string, now time.Time) (one pending, ok bool) {
	h.mu.Lock()
	defer h.mu.Unlock()
	kept := h.all[ticket]
	if kept == nil {
		return one, false
	}
	kept.tries++
	if now.After(kept.until) || kept.tries > mostTries {
		delete(h.all, ticket)
		return one, false
	}
	return *kept, true
}

// set changes what the ticket stands for, as long as it does.
func (h *pendings) set(ticket string, change func(*pending)) {
	h.mu.Lock()
	defer h.mu.Unlock()
	if kept := h.all[ticket]; kept != nil {
		change(kept)
	}
}

// end takes the ticket out of force.
func (h *pendings) end(ticket string) {
	h.mu.Lock()
	defer h.mu.Unlock()
	delete(h.all, ticket)
}
