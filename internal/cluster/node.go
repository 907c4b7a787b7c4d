//go:build dqlite

package cluster

import (
	"context"
	"crypto/sha256"
	"database/sql"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"os"
	"path/filepath"
	"sync"
	"time"

	"github.com/canonical/go-dqlite/app"
	"github.com/canonical/go-dqlite/client"
	dqlite "github.com/canonical/go-dqlite/driver"

	"elvat/internal/kept"
	"elvat/internal/store"
)

// Options are what a node is made of.
type Options struct {
	Folder  string   // of this node: its key, its data
	Address string   // at which the other machines reach it
	Join    []string // addresses of others, when it is new and not the first
	Log     *slog.Logger
}

// A Node is this machine in the cluster.
type Node struct {
	Client
	app *app.App
}

// A Client reaches the databases of a cluster without being a machine of it.
type Client struct {
	folder string
	store  client.NodeStore
	dial   client.DialFunc
	driver *dqlite.Driver
	polls  *polls
}

const (
	// latency is that between the machines; Raft waits 1.5 times as long between heartbeats and
	// 15 times until another is chosen. Assumption: machines of one place, and busy ones.
	latency = 40 * time.Millisecond
	// rolesEvery is how often the leader looks whether a stand-by has to take a lost voter's place.
	rolesEvery = 2 * time.Second
	// startTakes is how long a machine tries to come into the cluster.
	startTakes = 2 * time.Minute
	// storeFile is where the library keeps the machines it knows.
	storeFile = "cluster.yaml"
	dataIn    = "data"
)

// naming guards the name of the socket that the engine is reached by on this machine: the
// library takes it from the environment.
var naming sync.Mutex

// Start starts this machine's node and waits until it is in the cluster.
func Start(ctx context.Context, o Options) (*Node, error) {
	listen, dial, err := keys(o.Folder)
	if err != nil {
		return nil, err
	}
	data := filepath.Join(o.Folder, dataIn)
	if err := os.MkdirAll(data, 0o700); err != nil {
		return nil, err
	}
	options := []app.Option{
		app.WithAddress(o.Address), app.WithTLS(listen, dial), app.WithNetworkLatency(latency),
		app.WithRolesAdjustmentFrequency(rolesEvery), app.WithLogFunc(logged(o.Log)),
	}
	if len(o.Join) > 0 {
		options = append(options, app.WithCluster(o.Join))
	}
	// Two nodes on one machine may not have one socket.
	naming.Lock()
	sum := sha256.Sum256([]byte(data))
	err = os.Setenv("SNAP_INSTANCE_NAME", fmt.Sprintf("elvat-%x", sum[:8]))
	var made *app.App
	if err == nil {
		made, err = app.New(data, options...)
	}
	naming.Unlock()
	if err != nil {
		return nil, fmt.Errorf("node %s: %w", o.Address, err)
	}
	n := &Node{app: made}
	if err := n.connect(o.Folder); err != nil {
		return nil, errors.Join(err, made.Close())
	}
	ctx, cancel := context.WithTimeout(ctx, startTakes)
	defer cancel()
	if err := made.Ready(ctx); err != nil {
		n.polls.close()
		return nil, errors.Join(fmt.Errorf("node %s: the cluster was not reached: %w", o.Address, err), made.Close())
	}
	return n, nil
}

// Connect reaches the cluster that the node of the folder belongs to, as a command does.
func Connect(folder string) (*Client, error) {
	c := &Client{}
	return c, c.connect(folder)
}

func (c *Client) connect(folder string) error {
	_, dial, err := keys(folder)
	if err != nil {
		return err
	}
	path := filepath.Join(folder, dataIn, storeFile)
	if _, err := os.Stat(path); err != nil {
		return fmt.Errorf("%s: no node was started here: %w", folder, err)
	}
	c.folder, c.store = folder, fileStore(path)
	inner := client.DialFuncWithTLS(func(ctx context.Context, address string) (net.Conn, error) {
		one, err := client.DefaultDialFunc(ctx, address)
		if err != nil {
			return nil, err
		}
		return &impatient{Conn: one}, nil
	}, dial)
	c.dial = func(ctx context.Context, address string) (net.Conn, error) {
		if at, ok := ctx.Value(dialledKey{}).(*dialled); ok {
			at.last = address
		}
		return inner(ctx, address)
	}
	c.driver, err = dqlite.New(c.store, dqlite.WithDialFunc(c.dial), dqlite.WithAttemptTimeout(attemptTakes),
		dqlite.WithConnectionBackoffFactor(20*time.Millisecond), dqlite.WithConnectionBackoffCap(100*time.Millisecond))
	if err != nil {
		return err
	}
	c.polls = &polls{store: c.store, dial: c.dial, known: map[string]*client.Client{}}
	return nil
}

// fileStore is the file of the machines that the library keeps up to date, read as it is now.
type fileStore string

// Get are the machines of the cluster.
func (f fileStore) Get(ctx context.Context) ([]client.NodeInfo, error) {
	s, err := client.NewYamlNodeStore(string(f))
	if err != nil {
		return nil, err
	}
	return s.Get(ctx)
}

// Set is the library's own to call, on its own store.
func (f fileStore) Set(context.Context, []client.NodeInfo) error { return nil }

// logged writes what the library says of errors and warnings.
func logged(log *slog.Logger) client.LogFunc {
	return func(level client.LogLevel, format string, args ...any) {
		switch level {
		case client.LogError:
			log.Error("cluster", "says", fmt.Sprintf(format, args...))
		case client.LogWarn:
			log.Warn("cluster", "says", fmt.Sprintf(format, args...))
		}
	}
}

// db is a database of the cluster, made where there is none of the name, of so many pages at most; 0:
// no bound.
func (c *Client) db(name string, pages int) *sql.DB {
	db := sql.OpenDB(&connector{name: name, pages: pages, inner: c.driver, leader: c.polls})
	db.SetMaxIdleConns(4)
	return db
}

// Open opens a database of the cluster as a shop's.
func (c *Client) Open(ctx context.Context, name string) (*store.Store, error) {
	return c.openLimited(ctx, name, 0)
}

func (c *Client) openLimited(ctx context.Context, name string, pages int) (*store.Store, error) {
	return store.OpenOn(ctx, c.db(name, pages), "cluster database "+name)
}

// Members are the machines of the cluster, as the leader has them.
func (c *Client) Members(ctx context.Context) ([]Member, error) {
	leads, err := client.FindLeader(ctx, c.store, client.WithDialFunc(c.dial))
	if err != nil {
		return nil, kept.ErrNobody
	}
	defer leads.Close()
	nodes, err := leads.Cluster(ctx)
	if err != nil {
		return nil, err
	}
	leader, err := leads.Leader(ctx)
	if err != nil {
		return nil, err
	}
	all := make([]Member, len(nodes))
	var asked sync.WaitGroup
	for i, n := range nodes {
		all[i] = Member{Address: n.Address, Role: n.Role.String(), Leader: leader != nil && n.Address == leader.Address}
		asked.Go(func() {
			ctx, cancel := context.WithTimeout(ctx, attemptTakes)
			defer cancel()
			start := time.Now()
			one, err := client.New(ctx, n.Address, client.WithDialFunc(c.dial))
			if err != nil {
				return
			}
			defer one.Close()
			if _, err := one.Leader(ctx); err == nil {
				all[i].Reached, all[i].Took = true, time.Since(start)
			}
		})
	}
	asked.Wait()
	return all, nil
}

// member is one of them, and a way to the leader.
func (c *Client) member(ctx context.Context, address string) (*client.Client, client.NodeInfo, error) {
	leads, err := client.FindLeader(ctx, c.store, client.WithDialFunc(c.dial))
	if err != nil {
		return nil, client.NodeInfo{}, kept.ErrNobody
	}
	nodes, err := leads.Cluster(ctx)
	if err != nil {
		return nil, client.NodeInfo{}, errors.Join(err, leads.Close())
	}
	for _, n := range nodes {
		if n.Address == address {
			return leads, n, nil
		}
	}
	return nil, client.NodeInfo{}, errors.Join(fmt.Errorf("%s is not in the cluster", address), leads.Close())
}

// Drain has a machine have neither a voice nor data of its own: another leads, and where there is
// a stand-by or a spare, that takes its place. It serves on, by the others.
func (c *Client) Drain(ctx context.Context, address string) error {
	leads, node, err := c.member(ctx, address)
	if err != nil {
		return err
	}
	defer func() { leads.Close() }() //nolint:errcheck // nothing waits for it
	nodes, err := leads.Cluster(ctx)
	if err != nil {
		return err
	}
	voters := 0
	for _, n := range nodes {
		if n.Role == client.Voter {
			voters++
		}
	}
	if node.Role == client.Voter {
		for _, n := range nodes {
			if n.Role == client.Voter || n.Address == address {
				continue
			}
			if err := leads.Assign(ctx, n.ID, client.Voter); err == nil {
				voters++
				break
			}
		}
		if voters <= 1 {
			return fmt.Errorf("%s is the only machine that has all data: add another first", address)
		}
	}
	at, err := leads.Leader(ctx)
	if err != nil {
		return err
	}
	if at != nil && at.Address == address {
		moved := false
		for _, n := range nodes {
			if n.Role == client.Voter && n.Address != address && leads.Transfer(ctx, n.ID) == nil {
				moved = true
				break
			}
		}
		if !moved {
			return fmt.Errorf("%s leads, and no other machine takes that over", address)
		}
		leads.Close() //nolint:errcheck // another leads
		if leads, err = client.FindLeader(ctx, c.store, client.WithDialFunc(c.dial)); err != nil {
			return kept.ErrNobody
		}
	}
	return leads.Assign(ctx, node.ID, client.Spare)
}

// Remove takes a machine out of the cluster for good; one that is lost as well as one that was drained.
func (c *Client) Remove(ctx context.Context, address string) error {
	leads, node, err := c.member(ctx, address)
	if err != nil {
		return err
	}
	defer leads.Close()
	return leads.Remove(ctx, node.ID)
}

// Close closes what was opened.
func (c *Client) Close() error {
	c.polls.close()
	return nil
}

// handOver is how long a machine that stops takes at most to have another lead and vote.
const handOver = 5 * time.Second

// Close hands over to another machine what this one does, and stops it.
func (n *Node) Close() error {
	ctx, cancel := context.WithTimeout(context.Background(), handOver)
	defer cancel()
	_ = n.app.Handover(ctx) // the last of a cluster has nobody to hand over to
	return errors.Join(n.Client.Close(), n.app.Close())
}
