//go:build dqlite

package cluster

import (
	"context"
	"sync"
	"time"

	"github.com/canonical/go-dqlite/client"

	"elvat/internal/kept"
)

// polls ask the cluster's machines which of them leads. A majority that names one after it was
// asked has not gone over to another since: what is read there holds all that was acknowledged
// before. Whoever asks meanwhile shares the next poll.
type polls struct {
	store client.NodeStore
	dial  client.DialFunc

	mu      sync.Mutex
	running *poll
	next    *poll
	known   map[string]*client.Client
}

// A poll is one round; done is closed when leader and err are what they are.
type poll struct {
	done   chan struct{}
	leader string
	err    error
}

// confirm is the address of the machine that leads, as a majority says after confirm was called.
func (p *polls) confirm(ctx context.Context) (string, error) {
	p.mu.Lock()
	mine := p.next
	switch {
	case mine != nil:
	case p.running != nil:
		mine = &poll{done: make(chan struct{})}
		p.next = mine
	default:
		mine = &poll{done: make(chan struct{})}
		p.running = mine
		go p.run(mine)
	}
	p.mu.Unlock()
	select {
	case <-mine.done:
		return mine.leader, mine.err
	case <-ctx.Done():
		return "", ctx.Err()
	}
}

// run asks, and starts the next round for those who came meanwhile.
func (p *polls) run(now *poll) {
	for now != nil {
		end := time.Now().Add(leadTakes)
		for {
			now.leader, now.err = p.ask()
			if now.err == nil || time.Now().After(end) {
				break
			}
			time.Sleep(50 * time.Millisecond) // one is being chosen
		}
		close(now.done)
		p.mu.Lock()
		p.running, p.next = p.next, nil
		now = p.running
		p.mu.Unlock()
	}
}

// ask asks all voters at once, and is done when a majority agrees.
func (p *polls) ask() (string, error) {
	ctx, cancel := context.WithTimeout(context.Background(), attemptTakes)
	defer cancel()
	nodes, err := p.store.Get(ctx)
	if err != nil {
		return "", err
	}
	var voters []string
	for _, n := range nodes {
		if n.Role == client.Voter {
			voters = append(voters, n.Address)
		}
	}
	says := make(chan string, len(voters))
	for _, address := range voters {
		go func() { says <- p.askOne(ctx, address) }()
	}
	count := map[string]int{}
	for range voters {
		if leader := <-says; leader != "" {
			if count[leader]++; count[leader] > len(voters)/2 {
				return leader, nil
			}
		}
	}
	return "", kept.ErrNobody
}

// askOne is whom a machine takes for the leader; "" where it knows none, or does not answer.
func (p *polls) askOne(ctx context.Context, address string) string {
	p.mu.Lock()
	c := p.known[address]
	delete(p.known, address) // one question at a time on each
	p.mu.Unlock()
	if c == nil {
		var err error
		if c, err = client.New(ctx, address, client.WithDialFunc(p.dial)); err != nil {
			return ""
		}
	}
	leader, err := c.Leader(ctx)
	if err != nil {
		c.Close() //nolint:errcheck // it is broken
		return ""
	}
	p.mu.Lock()
	was := p.known[address]
	p.known[address] = c
	p.mu.Unlock()
	if was != nil {
		was.Close() //nolint:errcheck // another round made one as well
	}
	if leader == nil {
		return ""
	}
	return leader.Address
}

func (p *polls) close() {
	p.mu.Lock()
	defer p.mu.Unlock()
	for _, c := range p.known {
		c.Close() //nolint:errcheck // nothing waits for it
	}
	clear(p.known)
}
