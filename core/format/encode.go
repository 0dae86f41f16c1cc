package format

import json "github.com/go-json-experiment/json/v1"

// encode writes a save of Alluvion's.
func encode(doc map[string]any) ([]byte, error) { return json.Marshal(doc) }
