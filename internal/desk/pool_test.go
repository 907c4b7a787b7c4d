package desk

import (
	"fmt"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
)

// TestPool: desks that share one keep so many runs in all; who has many makes way, and who has
// few keeps what it has.
func TestPool(t *testing.T) {
	pool := &Pool{Most: 6}
	busy, quiet := newEngines(), newEngines()
	busy.pool, quiet.pool = pool, pool
	quiet.of("a")
	quiet.of("b")
	for i := range 40 {
		busy.of(fmt.Sprint(i))
	}
	assert.Len(t, quiet.runs, 2)
	assert.Len(t, busy.runs, 4)
	assert.Contains(t, busy.runs, "39", "the newest stays")
	busy.close()
	for i := range 40 {
		quiet.of(fmt.Sprint(i))
	}
	assert.Len(t, quiet.runs, 6, "one that is closed counts no more")

	alone := newEngines()
	for i := range 40 {
		alone.of(fmt.Sprint(i))
	}
	assert.Len(t, alone.runs, keepEngines)

	var all sync.WaitGroup
	for range 8 {
		e := newEngines()
		e.pool = pool
		all.Go(func() {
			for i := range 200 {
				e.of(fmt.Sprint(i))
			}
			e.close()
		})
	}
	all.Wait()
}
