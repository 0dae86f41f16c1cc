package format

import (
	"bytes"
	"encoding/xml"
	"errors"
	"io"
	"slices"
	"strings"
)

// xmlTongue is XML 1.0. A path begins with the root: /save/item/@name is an attribute, /save/note the text of an element,
// /save/note/#text that of one with attributes. Of elements of one name /save/item/1 is the second. Namespaces are not
// told apart. A file is written anew: comments and the order of elements of different names are not kept.
type xmlTongue struct{}

func (xmlTongue) read(raw []byte) (*Node, error) {
	d := xml.NewDecoder(bytes.NewReader(raw))
	p := newPlaces(raw)
	root := &Node{Form: Table, Spot: Spot{0, len(raw), 1, 1}}
	open := []*Node{root}
	texts := [][]byte{nil}
	here := func(from int64) Spot { return p.spot(int(from), int(d.InputOffset())) }
	nodes := 0
	for {
		from := d.InputOffset()
		t, err := d.Token()
		if errors.Is(err, io.EOF) {
			break
		}
		var wrong *xml.SyntaxError
		if errors.As(err, &wrong) {
			return nil, broken(here(d.InputOffset()), "it is not XML: %s", wrong.Msg)
		} else if err != nil {
			return nil, broken(here(from), "it is not XML: %v", err)
		}
		if nodes++; nodes > MaxNodes {
			return nil, errNodes
		}
		switch t := t.(type) {
		case xml.Directive:
			return nil, broken(here(from), "a DTD and entities of one's own cannot be in a save")
		case xml.CharData:
			inner := &texts[len(texts)-1]
			if *inner = append(*inner, t...); len(*inner) > MaxText {
				return nil, broken(here(from), "a text in it has more than %d bytes", MaxText)
			}
		case xml.StartElement:
			if len(open) > MaxDepth {
				return nil, broken(here(from), "it is nested more than %d deep", MaxDepth)
			}
			n := &Node{Form: Table, Spot: here(from)}
			if t.Name.Space != "" {
				root.unwritable = "it has namespaces of XML, which can be read and not be written yet"
			}
			for _, a := range t.Attr {
				if a.Name.Space != "" || a.Name.Local == "xmlns" {
					root.unwritable = "it has namespaces of XML, which can be read and not be written yet"
				}
				at := n.Spot
				if i := bytes.Index(raw[n.Start:n.End], []byte(a.Name.Local+"=")); i >= 0 {
					at = p.spot(n.Start+i, n.Start+i+len(a.Name.Local))
				}
				n.Keys = append(n.Keys, Key{Name: "@" + a.Name.Local, Value: &Node{Form: Text, Text: a.Value, Spot: at}, Spot: at})
			}
			open[len(open)-1].element(t.Name.Local, n)
			open, texts = append(open, n), append(texts, nil)
		case xml.EndElement:
			n := open[len(open)-1]
			text := string(texts[len(texts)-1])
			if strings.HasPrefix(text, "\n") || strings.HasPrefix(text, "\r") || n.inner() { // it is laid out over lines
				text = strings.TrimSpace(text)
			}
			n.End = int(d.InputOffset())
			switch {
			case len(n.Keys) == 0:
				n.Form, n.Text = Text, text
			case text != "":
				n.Keys = append(n.Keys, Key{Name: "#text", Value: &Node{Form: Text, Text: text, Spot: n.Spot}, Spot: n.Spot})
			}
			open, texts = open[:len(open)-1], texts[:len(texts)-1]
		}
	}
	if len(root.Keys) != 1 || len(open) != 1 {
		return nil, &Broken{Why: "it is not XML: one root is wanted"}
	}
	return root, nil
}

// inner says whether elements stand in an element.
func (n *Node) inner() bool {
	return slices.ContainsFunc(n.Keys, func(k Key) bool { return !strings.HasPrefix(k.Name, "@") })
}

// element adds an element: of several of one name a list is made.
func (n *Node) element(name string, child *Node) {
	k := n.Key(name)
	switch {
	case k == nil:
		n.Keys = append(n.Keys, Key{Name: name, Value: child, Spot: child.Spot})
	case k.Value.Form == List:
		k.Value.Items = append(k.Value.Items, child)
	default:
		k.Value = &Node{Form: List, Items: []*Node{k.Value, child}, Spot: k.Value.Spot}
	}
}

func (xmlTongue) write(raw []byte, root *Node) ([]byte, error) {
	var out bytes.Buffer
	if root.unwritable != "" {
		return nil, errors.New(root.unwritable)
	}
	if raw == nil || bytes.HasPrefix(bytes.TrimPrefix(raw, []byte("\ufeff")), []byte("<?xml")) {
		out.WriteString(xml.Header)
	}
	e := xml.NewEncoder(&out)
	e.Indent("", "  ")
	for _, k := range root.Keys {
		if err := element(e, k.Name, k.Value); err != nil {
			return nil, err
		}
	}
	err := e.Close()
	return append(out.Bytes(), '\n'), err
}

func element(e *xml.Encoder, name string, n *Node) error {
	if n.gone {
		return nil
	}
	if n.Form == List {
		for _, item := range n.Items {
			if err := element(e, name, item); err != nil {
				return err
			}
		}
		return nil
	}
	start := xml.StartElement{Name: xml.Name{Local: name}}
	text := n.Text
	for _, k := range n.Keys {
		switch {
		case k.Value.gone:
		case k.Name == "#text":
			text = k.Value.Text
		case strings.HasPrefix(k.Name, "@"):
			start.Attr = append(start.Attr, xml.Attr{Name: xml.Name{Local: k.Name[1:]}, Value: k.Value.Text})
		}
	}
	if err := e.EncodeToken(start); err != nil {
		return err
	}
	if text != "" {
		if err := e.EncodeToken(xml.CharData(text)); err != nil {
			return err
		}
	}
	for _, k := range n.Keys {
		if k.Name != "#text" && !strings.HasPrefix(k.Name, "@") {
			if err := element(e, k.Name, k.Value); err != nil {
				return err
			}
		}
	}
	return e.EncodeToken(start.End())
}
