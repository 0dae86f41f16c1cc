// Package auth says who may do what: tokens with roles, signed with keys that lie in a file of their own beside the
// data, and in no backup of it.
package auth

import (
	"bufio"
	"bytes"
	"crypto/rand"
	"encoding/base64"
	"errors"
	"fmt"
	"os"
	"slices"
	"strings"
	"time"

	"github.com/golang-jwt/jwt/v5"
)

// Role is what somebody is to a service.
type Role string

// The roles, from the one that may do everything to the one that may play.
const (
	Designer Role = "designer" // everything
	Server   Role = "server"   // one game: its sessions, its players, and tokens for them
	Player   Role = "player"   // one player of one game: to play, and to see what is theirs
)

// Who is somebody that asks for something. The zero Who is nobody, and may do nothing.
type Who struct {
	Role   Role
	Game   string // of a server and a player
	Player string // of a player: their id; of a server: its name
	// Until is when the token runs out with which they ask; zero where no tokens are asked for.
	Until time.Time
}

// Same says whether two are the same, whatever their tokens.
func (w Who) Same(other Who) bool {
	w.Until = other.Until
	return w == other
}

// How long tokens are good for.
const (
	PlayerFor     = 15 * time.Minute
	MostPlayerFor = 24 * time.Hour
	OthersFor     = 30 * 24 * time.Hour
	MostFor       = 366 * 24 * time.Hour
)

// Reasons for which a token is not taken, for errors.Is. They say nothing that helps to forge one.
var (
	ErrToken   = errors.New("the token is not good: it was not made here, or it is too old")
	ErrMissing = errors.New("a token is needed")
	ErrMay     = errors.New("the token is not for this")
)

// Keys sign and verify tokens: the newest signs, all verify. Keys are never changed, and safe for use by several
// goroutines.
type Keys struct{ keys []key }

type key struct {
	id     string
	secret []byte
}

// Load reads the keys of a file, and makes the file with one key where there is none. The file belongs to its owner
// alone; one that others may read is refused.
func Load(path string) (*Keys, error) {
	raw, err := os.ReadFile(path)
	if errors.Is(err, os.ErrNotExist) {
		if err := Rotate(path); err != nil {
			return nil, err
		}
		raw, err = os.ReadFile(path)
	}
	if err != nil {
		return nil, fmt.Errorf("the keys for tokens cannot be read: %w", err)
	}
	if info, err := os.Stat(path); err == nil && info.Mode().Perm()&0o077 != 0 {
		return nil, fmt.Errorf("the keys for tokens in %s can be read by others: chmod 600 it, and make a new key",
			path)
	}
	k := &Keys{}
	lines := bufio.NewScanner(bytes.NewReader(raw))
	for n := 1; lines.Scan(); n++ {
		id, text, ok := strings.Cut(strings.TrimSpace(lines.Text()), " ")
		secret, err := base64.StdEncoding.DecodeString(text)
		if !ok || err != nil || len(secret) < 32 {
			return nil, fmt.Errorf("line %d of %s is no key for tokens", n, path)
		}
		k.keys = append(k.keys, key{id, secret})
	}
	if len(k.keys) == 0 {
		return nil, fmt.Errorf("there are no keys for tokens in %s", path)
	}
	return k, nil
}

// Rotate adds a key to a file: new tokens are signed with it, and those signed before stay good until they are too old.
func Rotate(path string) error {
	var secret [32]byte
	_, _ = rand.Read(secret[:]) // it never fails (crypto/rand)
	f, err := os.OpenFile(path, os.O_CREATE|os.O_APPEND|os.O_WRONLY, 0o600)
	if err != nil {
		return fmt.Errorf("the keys for tokens cannot be written: %w", err)
	}
	_, err = fmt.Fprintf(f, "%s %s\n", strings.ToLower(rand.Text()[:8]), base64.StdEncoding.EncodeToString(secret[:]))
	return errors.Join(err, f.Close())
}

// claims are what a token says (RFC 7519).
type claims struct {
	Role Role   `json:"role"`
	Game string `json:"game,omitempty"`
	jwt.RegisteredClaims
}

// Issue makes a token (RFC 7519, HMAC-SHA256) that is good from now on for a while.
func (k *Keys) Issue(who Who, now time.Time, good time.Duration) (string, error) {
	if err := who.sound(good); err != nil {
		return "", err
	}
	c := claims{who.Role, who.Game, jwt.RegisteredClaims{Subject: who.Player, IssuedAt: jwt.NewNumericDate(now),
		ExpiresAt: jwt.NewNumericDate(now.Add(good))}}
	t := jwt.NewWithClaims(jwt.SigningMethodHS256, c)
	newest := k.keys[len(k.keys)-1]
	t.Header["kid"] = newest.id
	return t.SignedString(newest.secret)
}

// sound says what is wrong with a token that somebody wants.
func (w Who) sound(good time.Duration) error {
	most := MostFor
	switch w.Role {
	case Designer:
	case Server:
		if w.Game == "" {
			return errors.New("a server's token is for one game: name it")
		}
	case Player:
		most = MostPlayerFor
		if w.Game == "" || w.Player == "" {
			return errors.New("a player's token is for one player of one game: name both")
		}
	default:
		return fmt.Errorf("there is no role %q; there are designer, server and player", w.Role)
	}
	if good <= 0 || good > most {
		return fmt.Errorf("a %s's token is good for at most %s, not %s", w.Role, most, good)
	}
	return nil
}

// leeway is how far the clocks of two machines may be apart.
const leeway = 5 * time.Second

// Verify says who a token is for.
func (k *Keys) Verify(token string) (Who, error) {
	if token == "" {
		return Who{}, ErrMissing
	}
	var c claims
	_, err := jwt.ParseWithClaims(token, &c, func(t *jwt.Token) (any, error) {
		id, _ := t.Header["kid"].(string)
		if i := slices.IndexFunc(k.keys, func(x key) bool { return x.id == id }); i >= 0 {
			return k.keys[i].secret, nil
		}
		return nil, ErrToken
	}, jwt.WithValidMethods([]string{"HS256"}), jwt.WithExpirationRequired(), jwt.WithLeeway(leeway))
	who := Who{Role: c.Role, Game: c.Game, Player: c.Subject}
	if c.ExpiresAt != nil {
		who.Until = c.ExpiresAt.Add(leeway)
	}
	if err != nil || who.sound(time.Second) != nil {
		return Who{}, ErrToken
	}
	return who, nil
}

// MayGame says whether somebody may do everything with a game.
func (w Who) MayGame(game string) bool {
	return w.Role == Designer || w.Role == Server && w.Game == game
}

// MayPlayer says whether somebody may see what a player of a game has.
func (w Who) MayPlayer(game, player string) bool {
	return w.MayGame(game) || w.Role == Player && w.Game == game && w.Player == player
}
