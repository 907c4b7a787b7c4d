// Package cluster keeps the databases of many shops on several machines at once, by dqlite:
// SQLite whose write-ahead log is replicated by Raft. What is acknowledged is on a majority of
// the voting machines. It is built with the tag dqlite only, with the C library and Debian's
// SQLite (make cluster); without it the functions say so.
package cluster

import (
	"errors"
	"strings"
	"time"
)

// ErrNoCluster means that this build has none.
var ErrNoCluster = errors.New("this build keeps databases in files only: make cluster builds one that can keep them in a cluster")

// prefix begins the place of a shop's database that is in a cluster.
const prefix = "cluster:"

// Place is the folder of a node and the shop whose database is meant by cluster:FOLDER:SHOP; false
// where the text is the path of a file.
func Place(text string) (folder, shop string, ok bool) {
	rest, ok := strings.CutPrefix(text, prefix)
	if !ok {
		return "", "", false
	}
	i := strings.LastIndexByte(rest, ':')
	if i < 0 {
		return rest, "", true
	}
	return rest[:i], rest[i+1:], true
}

// A Member is a machine of the cluster.
type Member struct {
	Address string
	// Role: a voter has all data and a voice; a stand-by has all data and takes the place of a
	// voter that is lost; a spare has neither.
	Role string
	// Leader takes all writes and is asked for all that is read.
	Leader bool
	// Reached is whether it answers, and Took how long that took.
	Reached bool
	Took    time.Duration
}
