// Command bom lists what a build is made of: the Go modules in the binary and the packages in
// the front end, as CycloneDX documents beside it, and all licences as one text. It is run by
// make build.
//
//	bom BINARY WEB-SBOM.json
package main

import (
	"debug/buildinfo"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"log"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"

	cdx "github.com/CycloneDX/cyclonedx-go"
)

func main() {
	if len(os.Args) != 3 {
		log.Fatal("bom BINARY WEB-SBOM.json")
	}
	if err := write(os.Args[1], os.Args[2]); err != nil {
		log.Fatal(err)
	}
}

func write(binary, web string) error {
	info, err := buildinfo.ReadFile(binary)
	if err != nil {
		return err
	}
	cache, err := exec.Command("go", "env", "GOMODCACHE").Output()
	if err != nil {
		return err
	}
	bom := cdx.NewBOM()
	bom.Metadata = &cdx.Metadata{Component: &cdx.Component{Type: cdx.ComponentTypeApplication, Name: "elvat", Version: info.Main.Version}}
	all := []cdx.Component{{Type: cdx.ComponentTypeLibrary, Name: "std", Version: strings.TrimPrefix(info.GoVersion, "go"), Licenses: licensed("BSD-3-Clause")}}
	for _, m := range info.Deps {
		licence, err := licenceOf(strings.TrimSpace(string(cache)), m.Path, m.Version)
		if err != nil {
			return err
		}
		all = append(all, cdx.Component{
			Type: cdx.ComponentTypeLibrary, Name: m.Path, Version: m.Version, PackageURL: "pkg:golang/" + m.Path + "@" + m.Version, Licenses: licensed(licence),
		})
	}
	bom.Components = &all
	f, err := os.Create(binary + ".cdx.json")
	if err != nil {
		return err
	}
	if err := errors.Join(cdx.NewBOMEncoder(f, cdx.BOMFileFormatJSON).SetPretty(true).Encode(bom), f.Close()); err != nil {
		return err
	}
	lines := []string{}
	for i := range all {
		lines = append(lines, line(&all[i]))
	}
	front, err := ofWeb(web)
	if err != nil {
		return err
	}
	lines = append(lines, front...)
	slices.Sort(lines)
	return os.WriteFile(filepath.Join(filepath.Dir(binary), "licences.txt"), []byte(strings.Join(slices.Compact(lines), "\n")+"\n"), 0o644)
}

func licensed(id string) *cdx.Licenses {
	return &cdx.Licenses{{License: &cdx.License{ID: id}}}
}

func line(c *cdx.Component) string {
	id := "licence not found"
	if c.Licenses != nil && len(*c.Licenses) > 0 && (*c.Licenses)[0].License != nil {
		id = (*c.Licenses)[0].License.ID
	}
	return fmt.Sprintf("%-60s %-24s %s", c.Name, c.Version, id)
}

// ofWeb are the packages of the front end that npm lists.
func ofWeb(path string) ([]string, error) {
	data, err := os.ReadFile(path)
	if err != nil {
		return nil, err
	}
	var bom cdx.BOM
	if err := json.Unmarshal(data, &bom); err != nil {
		return nil, fmt.Errorf("%s: %w", path, err)
	}
	var lines []string
	if bom.Components == nil {
		return nil, fmt.Errorf("%s: no components", path)
	}
	for i := range *bom.Components {
		lines = append(lines, line(&(*bom.Components)[i]))
	}
	return lines, nil
}

// licenceOf is the licence whose text lies in the module, by its SPDX name.
func licenceOf(cache, path, version string) (string, error) {
	folder := filepath.Join(cache, escaped(path)+"@"+escaped(version))
	entries, err := os.ReadDir(folder)
	if errors.Is(err, fs.ErrNotExist) {
		return "NOASSERTION", nil // replaced, or vendored
	}
	if err != nil {
		return "", err
	}
	for _, e := range entries {
		name := strings.ToUpper(e.Name())
		if e.IsDir() || !strings.HasPrefix(name, "LICEN") && !strings.HasPrefix(name, "COPYING") && !strings.HasPrefix(name, "UNLICENSE") {
			continue
		}
		text, err := os.ReadFile(filepath.Join(folder, e.Name()))
		if err != nil {
			return "", err
		}
		if id := recognised(string(text)); id != "" {
			return id, nil
		}
	}
	return "NOASSERTION", nil
}

// phrases are what a licence is known by, the narrower before the wider. From memory of their
// texts.
var phrases = []struct {
	id  string
	all []string
}{
	{"Apache-2.0", []string{"Apache License", "Version 2.0"}},
	{"MPL-2.0", []string{"Mozilla Public License"}},
	{"BSD-3-Clause", []string{"Redistribution and use in source and binary forms", "endorse or promote"}},
	{"BSD-2-Clause", []string{"Redistribution and use in source and binary forms"}},
	{"MIT", []string{"Permission is hereby granted, free of charge"}},
	{"ISC", []string{"Permission to use, copy, modify, and"}},
	{"Unlicense", []string{"released into the public domain"}},
	{"CC0-1.0", []string{"CC0 1.0 Universal"}},
}

// recognised is the SPDX name of the licence that the text is; "" for one that is not known.
func recognised(text string) string {
	text = strings.Join(strings.Fields(text), " ")
	for _, p := range phrases {
		if !slices.ContainsFunc(p.all, func(phrase string) bool { return !strings.Contains(text, phrase) }) {
			return p.id
		}
	}
	return ""
}

// escaped is a path as the module cache writes it: capitals with a mark before them.
func escaped(path string) string {
	var b strings.Builder
	for _, r := range path {
		if r >= 'A' && r <= 'Z' {
			b.WriteByte('!')
			r += 'a' - 'A'
		}
		b.WriteRune(r)
	}
	return b.String()
}
