package trial

import (
	"encoding/json"
	"os"
	"sync"
	"testing"
)

func TestBase(t *testing.T) {
	type row struct {
		Seed uint64
		I    int
		O    Outcome
	}
	rows := make([]row, 1500)
	var all sync.WaitGroup
	jobs := make(chan int)
	for range 2 {
		all.Go(func() {
			for n := range jobs {
				seed, i := uint64(1+n/500), n%500
				each := seedOf(seed, i)
				k, err := Draw(each)
				if err != nil {
					t.Error(err)
					continue
				}
				o, err := k.Solve(each)
				if err != nil {
					t.Error(err)
				}
				rows[n] = row{seed, i, o}
			}
		})
	}
	for n := range rows {
		jobs <- n
	}
	close(jobs)
	all.Wait()
	data, _ := json.Marshal(rows)
	os.WriteFile("/tmp/base.json", data, 0o644)
}
