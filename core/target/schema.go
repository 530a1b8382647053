package target

import "encoding/json"

// schema is a part of a JSON Schema (draft 2020-12).
type schema = map[string]any

// Scalars are taken as they are written, so that a text may look like a number.
var (
	textSchema  = schema{"type": []string{"string", "number", "boolean"}}
	boolSchema  = schema{"type": "boolean"}
	countSchema = schema{"type": "integer", "minimum": 0}
	textsSchema = schema{"anyOf": []schema{textSchema, listSchema(schema{"type": []string{"string", "number", "boolean",
		"null"}})}}
)

func listSchema(of schema) schema { return schema{"type": "array", "items": of} }

func choiceSchema(words ...string) schema { return schema{"enum": words} }

func objectSchema[T any](fields []field[T], required ...string) schema {
	properties := schema{}
	for _, f := range fields {
		documented := schema{"description": f.doc}
		for k, v := range f.schema {
			documented[k] = v
		}
		properties[f.name] = documented
	}
	s := schema{"type": "object", "properties": properties, "additionalProperties": false}
	if len(required) > 0 {
		s["required"] = required
	}
	return s
}

// Schema returns the JSON Schema of targets.
func Schema() []byte { return written("Target", objectSchema(targetFields, "target", "columns")) }

// MappingSchema returns the JSON Schema of mappings.
func MappingSchema() []byte {
	return written("Mapping", objectSchema(mappingFields, "mapping", "target"))
}

func written(title string, s schema) []byte {
	s["$schema"], s["title"] = "https://json-schema.org/draft/2020-12/schema", title
	text, err := json.MarshalIndent(s, "", "  ")
	if err != nil {
		panic(err) // a fault of this package
	}
	return append(text, '\n')
}
