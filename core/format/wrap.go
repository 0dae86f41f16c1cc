package format

import (
	"bytes"
	"compress/gzip"
	"crypto/hmac"
	"crypto/sha256"
	"encoding/base64"
	"encoding/binary"
	"errors"
	"hash/crc32"
	"io"

	"alluvion.dev/core/plan"
)

// MaxWraps is how many wraps a file may have.
const MaxWraps = 3

// wrap is one thing that a file can be packed in.
type wrap struct {
	open func(raw []byte) ([]byte, error)
	shut func(raw []byte) ([]byte, error)
}

var wraps = map[string]wrap{
	"gzip": {gunzip, func(raw []byte) ([]byte, error) {
		var out bytes.Buffer
		w := gzip.NewWriter(&out)
		_, err := w.Write(raw)
		err = errors.Join(err, w.Close())
		return out.Bytes(), err
	}},
	"base64": {func(raw []byte) ([]byte, error) {
		raw = bytes.TrimSpace(raw)
		out := make([]byte, base64.StdEncoding.DecodedLen(len(raw)))
		n, err := base64.StdEncoding.Decode(out, raw)
		if err != nil {
			return nil, &Broken{Why: "it is not base64"}
		}
		return out[:n], nil
	}, func(raw []byte) ([]byte, error) { return base64.StdEncoding.AppendEncode(nil, raw), nil }},
	"crc32": {func(raw []byte) ([]byte, error) {
		if len(raw) < 4 {
			return nil, &Broken{Why: "it is too short to end with a checksum"}
		}
		inner, sum := raw[:len(raw)-4], binary.LittleEndian.Uint32(raw[len(raw)-4:])
		if crc32.ChecksumIEEE(inner) != sum {
			return nil, &Broken{Why: "its checksum is wrong: it is damaged, or was changed by hand"}
		}
		return inner, nil
	}, func(raw []byte) ([]byte, error) {
		return binary.LittleEndian.AppendUint32(bytes.Clone(raw), crc32.ChecksumIEEE(raw)), nil
	}},
}

// signature is how many bytes a signature has: HMAC (RFC 2104) with SHA-256 (FIPS 180-4).
const signature = sha256.Size

// signed is a file behind its signature, in the same way as behind a checksum.
func signed(key []byte) wrap {
	sum := func(raw []byte) []byte {
		h := hmac.New(sha256.New, key)
		_, _ = h.Write(raw)
		return h.Sum(nil)
	}
	return wrap{func(raw []byte) ([]byte, error) {
		switch inner := raw[:max(0, len(raw)-signature)]; {
		case len(key) == 0:
			return nil, &Broken{Why: "it is signed, and the key for that is not known: name the file that has it (-save-key FILE)"}
		case len(raw) < signature || !hmac.Equal(sum(inner), raw[len(inner):]):
			return nil, &Broken{Why: "its signature is wrong: it is damaged, was changed by hand, or was signed with another key"}
		default:
			return inner, nil
		}
	}, func(raw []byte) ([]byte, error) {
		if len(key) == 0 {
			return nil, errors.New("it would have to be signed, and the key for that is not known: name the file that has it (-save-key FILE)")
		}
		return append(bytes.Clone(raw), sum(raw)...), nil
	}}
}

// wrapped finds a wrap by its name.
func wrapped(name string, key []byte) (wrap, bool) {
	if name == "hmac" {
		return signed(key), true
	}
	w, ok := wraps[name]
	return w, ok
}

// unwrap takes a file out of what it is wrapped in. The key is that of signatures; nil where it is not known.
func unwrap(raw []byte, in []plan.Given[string], key []byte) ([]byte, error) {
	if len(raw) > MaxPacked {
		return nil, &Broken{Why: "it is larger than 16 MiB"}
	}
	for _, w := range in {
		one, ok := wrapped(w.Value, key)
		if !ok {
			return nil, &Broken{Why: "nothing is known of the wrap " + w.Value}
		}
		inner, err := one.open(raw)
		if err != nil {
			return nil, err
		}
		raw = inner
	}
	return raw, nil
}

// rewrap puts a file back into what it is wrapped in.
func rewrap(raw []byte, in []plan.Given[string], key []byte) (_ []byte, err error) {
	for i := len(in) - 1; i >= 0 && err == nil; i-- {
		w, _ := wrapped(in[i].Value, key)
		raw, err = w.shut(raw)
	}
	return raw, err
}

// gunzip unpacks no more than a file may have.
func gunzip(raw []byte) ([]byte, error) {
	r, err := gzip.NewReader(bytes.NewReader(raw))
	if err != nil {
		return nil, &Broken{Why: "it is not gzip"}
	}
	most := min(MaxOpen, max(1<<20, maxRatio*len(raw)))
	out, err := io.ReadAll(io.LimitReader(r, int64(most)+1))
	switch {
	case err != nil:
		return nil, &Broken{Why: "it cannot be unpacked: it is damaged"}
	case len(out) > most:
		return nil, &Broken{Why: "it becomes larger than a save may be when it is unpacked"}
	}
	return out, nil
}
