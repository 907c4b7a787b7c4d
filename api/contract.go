// Package contract holds the contract between browser and server, and what each
// of its operations asks of who calls it.
package contract

import (
	_ "embed" // the contract
	"fmt"
	"maps"
	"regexp"
	"slices"

	"go.yaml.in/yaml/v3"

	"elvat/core/job"
)

//go:embed openapi.yaml
var text []byte

// An Operation is one method of one path.
type Operation struct {
	ID     string
	Method string // as HTTP writes it
	Path   string // with {parameters}
	Access job.Access
	Fresh  bool     // asks that the passphrase was given a short while ago
	Event  string   // what is written down once it was done; "" for nothing
	Takes  []string // media types of its body; none where it has none
}

// methods of a path, in the contract's words and in HTTP's.
var methods = []struct{ key, name string }{
	{"get", "GET"},
	{"post", "POST"},
	{"put", "PUT"},
	{"patch", "PATCH"},
	{"delete", "DELETE"},
}

// Operations lists all of the contract. An operation that says nothing of who
// may call it is an error: nothing is open by oversight.
func Operations() ([]Operation, error) {
	var doc struct {
		Paths map[string]map[string]yaml.Node `yaml:"paths"`
	}
	if err := yaml.Unmarshal(text, &doc); err != nil {
		return nil, err
	}
	var all []Operation
	for path, item := range doc.Paths {
		for _, m := range methods {
			node, ok := item[m.key]
			if !ok {
				continue
			}
			var op struct {
				ID     string     `yaml:"operationId"`
				Access job.Access `yaml:"x-access"`
				Fresh  bool       `yaml:"x-fresh"`
				Event  string     `yaml:"x-event"`
				Body   struct {
					Content map[string]yaml.Node `yaml:"content"`
				} `yaml:"requestBody"`
			}
			if err := node.Decode(&op); err != nil {
				return nil, fmt.Errorf("%s %s: %w", m.name, path, err)
			}
			known := false
			for _, a := range job.Accesses {
				known = known || a == op.Access
			}
			if !known {
				return nil, fmt.Errorf("%s %s: x-access: %q is none of %q", m.name, path, op.Access, job.Accesses)
			}
			all = append(all, Operation{op.ID, m.name, path, op.Access, op.Fresh, op.Event, slices.Sorted(maps.Keys(op.Body.Content))})
		}
	}
	return all, nil
}

var parameter = regexp.MustCompile(`\{(\w+)\}`)

// Route is the operation's path as the router writes it.
func (o Operation) Route() string { return parameter.ReplaceAllString(o.Path, ":$1") }
