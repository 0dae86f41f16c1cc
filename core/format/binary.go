package format

import (
	"bytes"
	"encoding/binary"
	"errors"
	"math"
	"strconv"

	"github.com/fxamacker/cbor/v2"
	"github.com/vmihailenco/msgpack/v5"
	"github.com/vmihailenco/msgpack/v5/msgpcode"

	"alluvion.dev/core/fixed"
)

// messagepackTongue is MessagePack. A file is written anew, in the same order: whole numbers as short as they can be,
// other numbers as 64-bit floats. Its own extensions (times too) cannot be read.
type messagepackTongue struct{}

func (messagepackTongue) read(raw []byte) (*Node, error) {
	in := bytes.NewReader(raw)
	r := &packReader{Decoder: msgpack.NewDecoder(in), raw: raw, in: in}
	root, err := r.value(0)
	switch {
	case err != nil:
		var own *Broken
		if errors.As(err, &own) {
			return nil, own
		}
		return nil, broken(Spot{Start: r.at()}, "it is not MessagePack")
	case in.Len() > 0:
		return nil, broken(Spot{Start: r.at()}, "it is not MessagePack: something stands behind its end")
	}
	return root, nil
}

type packReader struct {
	*msgpack.Decoder
	raw   []byte
	in    *bytes.Reader
	nodes int
}

func (r *packReader) at() int { return len(r.raw) - r.in.Len() }

func (r *packReader) value(depth int) (*Node, error) {
	n := &Node{Spot: Spot{Start: r.at()}}
	if r.nodes++; r.nodes > MaxNodes {
		return nil, errNodes
	}
	if depth > MaxDepth {
		return nil, broken(n.Spot, "it is nested more than %d deep", MaxDepth)
	}
	c, err := r.PeekCode()
	if err != nil {
		return nil, err
	}
	switch {
	case c == msgpcode.Nil:
		err = r.DecodeNil()
	case c == msgpcode.True || c == msgpcode.False:
		var is bool
		is, err = r.DecodeBool()
		n.Form, n.Text = Bool, strconv.FormatBool(is)
	case c == msgpcode.Float || c == msgpcode.Double:
		err = r.float(n, c)
	case c == msgpcode.Uint64:
		var u uint64
		u, err = r.DecodeUint64()
		n.Form, n.Text = Number, strconv.FormatUint(u, 10)
	case msgpcode.IsFixedNum(c) || c >= msgpcode.Uint8 && c <= msgpcode.Int64:
		var i int64
		i, err = r.DecodeInt64()
		n.Form, n.Text = Number, strconv.FormatInt(i, 10)
	case msgpcode.IsString(c):
		n.Form = Text
		n.Text, err = r.DecodeString()
	case msgpcode.IsFixedMap(c) || c == msgpcode.Map16 || c == msgpcode.Map32:
		err = r.table(n, depth)
	case msgpcode.IsFixedArray(c) || c == msgpcode.Array16 || c == msgpcode.Array32:
		var items int
		n.Form = List
		items, err = r.DecodeArrayLen()
		for i := 0; i < items && err == nil; i++ {
			var item *Node
			item, err = r.value(depth + 1)
			n.Items = append(n.Items, item)
		}
	default:
		return nil, broken(n.Spot, "a value in it is bytes or of a kind of its own, which cannot be kept")
	}
	if n.End = r.at(); len(n.Text) > MaxText {
		return nil, broken(n.Spot, "a text in it has more than %d bytes", MaxText)
	}
	return n, err
}

func (r *packReader) float(n *Node, c byte) error {
	if c == msgpcode.Float {
		v, err := r.DecodeFloat32()
		n.ofFloat(float64(v), 32)
		return err
	}
	v, err := r.DecodeFloat64()
	n.ofFloat(v, 64)
	return err
}

// ofFloat makes a node a binary number: the shortest digits that mean it, and a text where it is no number.
func (n *Node) ofFloat(v float64, bits int) {
	n.Float = true
	if math.IsNaN(v) || math.IsInf(v, 0) {
		n.Form, n.Text = Text, strconv.FormatFloat(v, 'g', -1, bits)
		return
	}
	n.Form, n.Text = Number, strconv.FormatFloat(v, 'f', -1, bits)
}

func (r *packReader) table(n *Node, depth int) error {
	n.Form = Table
	entries, err := r.DecodeMapLen()
	for i := 0; i < entries && err == nil; i++ {
		var name, value *Node
		if name, err = r.value(depth + 1); err != nil {
			return err
		}
		if name.Form == List || name.Form == Table {
			return broken(name.Spot, "a key in it is %s", name.Form)
		}
		if value, err = r.value(depth + 1); err == nil {
			n.Keys = append(n.Keys, Key{Name: name.Text, Value: value, Spot: name.Spot, form: name.key()})
		}
	}
	return err
}

func (messagepackTongue) write(_ []byte, root *Node) ([]byte, error) {
	var out bytes.Buffer
	e := msgpack.NewEncoder(&out)
	e.UseCompactInts(true)
	err := packed(e, root)
	return out.Bytes(), err
}

func packed(e *msgpack.Encoder, n *Node) error {
	switch n.Form {
	case Null:
		return e.EncodeNil()
	case Bool:
		return e.EncodeBool(n.Text == "true")
	case Text:
		return e.EncodeString(n.Text)
	case Number:
		if i, u, whole := wholeOf(n); whole && u > math.MaxInt64 {
			return e.EncodeUint(u)
		} else if whole {
			return e.EncodeInt(i)
		}
		v, err := strconv.ParseFloat(n.Text, 64)
		return errors.Join(err, e.EncodeFloat64(v))
	}
	all := living(n)
	if n.Form == List {
		if err := e.EncodeArrayLen(len(all)); err != nil {
			return err
		}
	} else if err := e.EncodeMapLen(len(all)); err != nil {
		return err
	}
	for _, c := range all {
		if c.key != nil {
			if err := packed(e, c.key.asNode()); err != nil {
				return err
			}
		}
		if err := packed(e, c.value); err != nil {
			return err
		}
	}
	return nil
}

// key is what a name is, where it is no text.
func (n *Node) key() Form {
	if n.Form == Text {
		return Null
	}
	return n.Form
}

// asNode is a name as it stands in a file.
func (k *Key) asNode() *Node {
	if k.form == Null {
		return &Node{Form: Text, Text: k.Name}
	}
	return &Node{Form: k.form, Text: k.Name}
}

// wholeOf is a whole number that fits into 64 bits: with its sign, and (where it is larger) without one.
func wholeOf(n *Node) (i int64, u uint64, whole bool) {
	if n.Float {
		return 0, 0, false
	}
	if i, err := strconv.ParseInt(n.Text, 10, 64); err == nil {
		return i, 0, true
	}
	if u, err := strconv.ParseUint(n.Text, 10, 64); err == nil {
		return 0, u, true
	}
	num, err := fixed.Exact(n.Text)
	i, whole = num.Int()
	return i, 0, err == nil && whole
}

// living are the entries of a node that are not taken out.
func living(n *Node) []child {
	var out []child
	for _, c := range children(n) {
		if !c.value.gone {
			out = append(out, c)
		}
	}
	return out
}

// cborTongue is CBOR (RFC 8949). A file is written anew, in the same order. Tags and byte strings cannot be read.
type cborTongue struct{}

func (cborTongue) read(raw []byte) (*Node, error) {
	if err := cbor.Wellformed(raw); err != nil {
		return nil, &Broken{Why: "it is not CBOR"}
	}
	r := &cborReader{raw: raw}
	return r.value(0)
}

type cborReader struct {
	raw       []byte
	at, nodes int
}

// head reads the first bytes of a value: its kind, and its number; many where no number is said, but an end comes.
func (r *cborReader) head() (kind byte, n uint64, many bool) {
	first := r.raw[r.at]
	kind, short := first>>5, first&31
	r.at++
	switch size := map[byte]int{24: 1, 25: 2, 26: 4, 27: 8}[short]; {
	case short < 24:
		n = uint64(short)
	case size > 0:
		wide := make([]byte, 8)
		copy(wide[8-size:], r.raw[r.at:r.at+size])
		n = binary.BigEndian.Uint64(wide)
		r.at += size
	default:
		many = true
	}
	return kind, n, many
}

func (r *cborReader) value(depth int) (*Node, error) {
	n := &Node{Spot: Spot{Start: r.at}}
	if r.nodes++; r.nodes > MaxNodes {
		return nil, errNodes
	}
	if depth > MaxDepth {
		return nil, broken(n.Spot, "it is nested more than %d deep", MaxDepth)
	}
	if kind := r.raw[r.at] >> 5; kind == 4 || kind == 5 {
		kind, entries, many := r.head()
		n.Form = List
		if kind == 5 {
			n.Form = Table
		}
		for i := uint64(0); many || i < entries; i++ {
			if many && r.raw[r.at] == 0xff {
				r.at++
				break
			}
			if err := r.entry(n, depth); err != nil {
				return nil, err
			}
		}
		n.End = r.at
		return n, nil
	}
	var v any
	rest, err := cbor.UnmarshalFirst(r.raw[r.at:], &v)
	if err != nil {
		return nil, broken(n.Spot, "it is not CBOR")
	}
	short := r.raw[r.at]
	r.at = len(r.raw) - len(rest)
	n.End = r.at
	switch v := v.(type) {
	case nil:
	case bool:
		n.Form, n.Text = Bool, strconv.FormatBool(v)
	case uint64:
		n.Form, n.Text = Number, strconv.FormatUint(v, 10)
	case int64:
		n.Form, n.Text = Number, strconv.FormatInt(v, 10)
	case float64:
		bits := 64
		if short == 0xfa || short == 0xf9 {
			bits = 32
		}
		n.ofFloat(v, bits)
	case string:
		if n.Form, n.Text = Text, v; len(v) > MaxText {
			return nil, broken(n.Spot, "a text in it has more than %d bytes", MaxText)
		}
	default:
		return nil, broken(n.Spot, "a value in it is bytes or has a tag, which cannot be kept")
	}
	return n, nil
}

func (r *cborReader) entry(n *Node, depth int) error {
	name := &Node{}
	var err error
	if n.Form == Table {
		if name, err = r.value(depth + 1); err != nil {
			return err
		}
		if name.Form == List || name.Form == Table {
			return broken(name.Spot, "a key in it is %s", name.Form)
		}
	}
	value, err := r.value(depth + 1)
	if err != nil {
		return err
	}
	if n.Form == Table {
		n.Keys = append(n.Keys, Key{Name: name.Text, Value: value, Spot: name.Spot, form: name.key()})
	} else {
		n.Items = append(n.Items, value)
	}
	return nil
}

func (cborTongue) write(_ []byte, root *Node) ([]byte, error) {
	var out []byte
	err := toCBOR(&out, root)
	return out, err
}

func toCBOR(out *[]byte, n *Node) error {
	if n.Form == List || n.Form == Table {
		all, kind := living(n), byte(4<<5)
		if n.Form == Table {
			kind = 5 << 5
		}
		*out = append(*out, kind|26) // a length of four bytes
		*out = binary.BigEndian.AppendUint32(*out, uint32(len(all)))
		for _, c := range all {
			if c.key != nil {
				if err := toCBOR(out, c.key.asNode()); err != nil {
					return err
				}
			}
			if err := toCBOR(out, c.value); err != nil {
				return err
			}
		}
		return nil
	}
	var v any
	switch n.Form {
	case Bool:
		v = n.Text == "true"
	case Text:
		v = n.Text
	case Number:
		f, err := strconv.ParseFloat(n.Text, 64)
		if err != nil {
			return err
		}
		v = f
		if i, u, whole := wholeOf(n); whole && u > math.MaxInt64 {
			v = u
		} else if whole {
			v = i
		}
	}
	raw, err := cbor.Marshal(v)
	*out = append(*out, raw...)
	return err
}
