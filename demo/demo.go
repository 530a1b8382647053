// Package demo is the scenario that Sieb is shown and tested with: the Talfeld
// growers' co-operative, an invention, takes in grain at five sites, each of
// which sends files in its own habits.
//
// The deliveries are generated from a fixed seed, committed, and embedded into the
// program with their targets and mappings. What was planted stands beside them.
package demo

import (
	"embed"
	"encoding/json"
	"os"
	"path/filepath"
)

//go:generate go run ./make

//go:embed deliveries targets mappings
var files embed.FS

// All makes every delivery of the scenario, the register first, to which the tickets refer.
func All() []Made {
	return []Made{Register(), Ahrensee(), Brunnthal(), Colmitz(), Dornau(), Laboratory(), Silo(), Survey()}
}

// Delivery returns the committed bytes of a delivery.
func Delivery(name string) ([]byte, error) { return files.ReadFile("deliveries/" + name) }

// Target returns the text of a target.
func Target(name string) ([]byte, error) { return files.ReadFile("targets/" + name + ".yaml") }

// Mapping returns the text of a mapping.
func Mapping(name string) ([]byte, error) { return files.ReadFile("mappings/" + name + ".yaml") }

// Write puts all deliveries, and the truth about each, into a folder.
func Write(dir string) error {
	for _, m := range All() {
		if err := os.WriteFile(filepath.Join(dir, m.Name), m.Bytes, 0o644); err != nil {
			return err
		}
		truth, err := json.MarshalIndent(m, "", "  ")
		if err != nil {
			return err
		}
		if err := os.WriteFile(filepath.Join(dir, m.Name+".truth.json"), append(truth, '\n'), 0o644); err != nil {
			return err
		}
	}
	return nil
}
