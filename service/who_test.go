package service_test

import (
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/x509"
	"crypto/x509/pkix"
	"encoding/pem"
	"math/big"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/client"
	"alluvion.dev/contract"
	"alluvion.dev/core/wire"
	"alluvion.dev/examples"
	"alluvion.dev/service"
	"alluvion.dev/service/auth"
)

// guarded is a house whose service asks for tokens, with one for its designer.
func guarded(t *testing.T) (*house, *auth.Keys) {
	h := &house{t: t, path: filepath.Join(t.TempDir(), "a.db")}
	var err error
	h.s, err = service.Start(service.Config{Addr: "127.0.0.1:0", Data: h.path, Tokens: true})
	require.NoError(t, err)
	t.Cleanup(h.stop)
	keys, err := auth.Load(service.KeysFile(h.path))
	require.NoError(t, err)
	h.c = client.New(h.s.URL()).As(token(t, keys, auth.Who{Role: auth.Designer}))
	_, err = h.c.PutCommons(ctx, "courier-guild", examples.CourierGuild, "")
	require.NoError(t, err)
	_, _, err = h.c.PutPlan(ctx, "lantern-pass", examples.LanternPass, "")
	require.NoError(t, err)
	h.enter()
	return h, keys
}

func token(t *testing.T, keys *auth.Keys, who auth.Who) string {
	text, err := keys.Issue(who, time.Now(), time.Hour)
	require.NoError(t, err)
	return text
}

func TestATokenOpensWhatItIsForAndNothingElse(t *testing.T) {
	t.Parallel()
	h, keys := guarded(t)
	server := auth.Who{Role: auth.Server, Game: "lantern-pass", Player: "weather"}
	ada := auth.Who{Role: auth.Player, Game: "lantern-pass", Player: "ada"}
	other := auth.Who{Role: auth.Server, Game: "lantern-market"}
	game, session := "/v1/games/lantern-pass", "/v1/games/lantern-pass/sessions/winter"
	for _, row := range []struct {
		name, method, path                          string
		nobody, player, server, elsewhere, designer int
	}{
		{"health", "GET", "/healthz", 200, 200, 200, 200, 200},
		{"a file of the console", "GET", "/assets/none.js", 404, 404, 404, 404, 404},
		{"the games", "GET", "/v1/games", 401, 403, 403, 403, 200},
		{"the plan", "GET", game + "/plan", 401, 403, 200, 403, 200},
		{"deleting the plan's game", "DELETE", game, 401, 403, 403, 403, 422},
		{"ending a session", "DELETE", session + "/world", 401, 403, 422, 403, 422},
		{"publishing", "POST", game + "/versions", 401, 403, 403, 403, 400},
		{"a player's own values", "GET", game + "/players/ada", 401, 404, 404, 403, 404},
		{"another player's values", "GET", game + "/players/bob", 401, 403, 404, 403, 404},
		{"a player's own save, written", "DELETE", game + "/players/ada", 401, 403, 422, 403, 422},
		{"all players", "GET", game + "/players", 401, 403, 200, 403, 200},
		{"the session", "GET", session, 401, 403, 200, 403, 200},
		{"the layout", "GET", session + "/layout", 401, 200, 200, 403, 200},
		{"a request of a server", "POST", session + "/requests", 401, 403, 400, 403, 400},
		{"a token for a player", "POST", game + "/tokens", 401, 403, 400, 403, 400},
		{"the rehearsals", "GET", game + "/rehearsals", 401, 403, 200, 403, 200},
		{"deleting a rehearsal", "DELETE", game + "/rehearsals/none", 401, 403, 403, 403, 404},
		{"a dry run", "POST", game + "/dry-run", 401, 403, 403, 403, 400},
		{"changing a text", "POST", "/v1/edits", 401, 403, 403, 403, 400},
		{"a map of a text", "POST", "/v1/map", 401, 403, 403, 403, 400},
		{"the milestones of all", "GET", game + "/milestones", 401, 403, 200, 403, 200},
		{"correcting a player's value", "POST", game + "/players/ada/slots/1/correct", 401, 403, 400, 403, 400},
		{"the metrics", "GET", "/metrics", 401, 403, 200, 200, 200},
		{"the keys of seals", "GET", "/v1/keys", 401, 403, 403, 403, 200},
		{"connecting without a connection", "GET", session + "/live", 426, 426, 426, 426, 426},
		{"another path that ends in live", "GET", "/v1/keys/live", 401, 403, 403, 403, 404},
	} {
		for who, want := range map[string]int{"": row.nobody, token(t, keys, ada): row.player, token(t, keys, server): row.server, token(t, keys, other): row.elsewhere,
			token(t, keys, auth.Who{Role: auth.Designer}): row.designer, "forged": row.nobody} {
			req, err := http.NewRequest(row.method, h.s.URL()+row.path, nil)
			require.NoError(t, err)
			if who != "" {
				req.Header.Set("Authorization", "Bearer "+who)
			}
			res, err := http.DefaultClient.Do(req)
			require.NoError(t, err)
			_ = res.Body.Close()
			assert.Equal(t, want, res.StatusCode, "%s, as %.20s", row.name, who)
		}
	}
}

func TestOnlyAGoodTokenLetsAPlayerIn(t *testing.T) {
	t.Parallel()
	h, keys := guarded(t)
	made, err := h.c.PlayerToken(ctx, "lantern-pass", "ada", time.Minute)
	require.NoError(t, err)
	as := func(token string) *client.Session {
		return client.New(h.s.URL()).As(token).Session("lantern-pass", "winter")
	}
	ada, err := as(made.Token).Join(ctx, client.Joining{Packed: true})
	require.NoError(t, err)
	assert.Equal(t, "ada", ada.Welcome.Player)
	require.NoError(t, ada.Leave(ctx))

	old, err := keys.Issue(auth.Who{Role: auth.Player, Game: "lantern-pass", Player: "ada"}, time.Now().Add(-time.Hour), time.Minute)
	require.NoError(t, err)
	for name, row := range map[string]struct {
		token string
		join  client.Joining
	}{
		"none":                     {"", client.Joining{Player: "ada"}},
		"too old":                  {old, client.Joining{Player: "ada"}},
		"another player's":         {made.Token, client.Joining{Player: "bob"}},
		"a player's, for a server": {made.Token, client.Joining{Server: "weather"}},
		"another game's":           {token(t, keys, auth.Who{Role: auth.Player, Game: "lantern-market", Player: "ada"}), client.Joining{Player: "ada"}},
		"changed":                  {made.Token[:len(made.Token)-4] + "AAAA", client.Joining{Player: "ada"}},
		"unsigned":                 {"eyJhbGciOiJub25lIn0.eyJyb2xlIjoiZGVzaWduZXIiLCJleHAiOjk5OTk5OTk5OTl9.", client.Joining{Player: "ada"}},
	} {
		_, err := as(row.token).Join(ctx, row.join)
		var refused *client.Refused
		require.ErrorAs(t, err, &refused, name)
		assert.Equal(t, "forbidden", refused.Kind, name)
	}
	weather, err := as(token(t, keys, auth.Who{Role: auth.Server, Game: "lantern-pass"})).Serve(ctx, "weather")
	require.NoError(t, err)
	require.NoError(t, weather.Send(wire.Ask{Is: "ping"}))
}

func TestAConnectionLastsAsLongAsItsToken(t *testing.T) {
	t.Parallel()
	h, keys := guarded(t)
	ends := func(who auth.Who, in time.Duration) string { // the clocks of two machines may be 5 s apart
		token, err := keys.Issue(who, time.Now().Add(-5*time.Second), in)
		require.NoError(t, err)
		return token
	}
	as := func(token string) *client.Client { return client.New(h.s.URL()).As(token) }
	who := auth.Who{Role: auth.Player, Game: "lantern-pass", Player: "ada"}
	ada, err := as(ends(who, 2*time.Second)).Session("lantern-pass", "winter").Join(ctx, client.Joining{})
	require.NoError(t, err)
	bob := who
	bob.Player = "bob"
	var refused *client.Refused
	require.ErrorAs(t, ada.Renew(ctx, token(t, keys, bob)), &refused)
	assert.Equal(t, "forbidden", refused.Kind)
	require.ErrorAs(t, ada.Renew(ctx, "no token"), &refused)
	require.NoError(t, ada.Renew(ctx, ends(who, 4*time.Second)))
	pike := who
	pike.Player = "pike"
	lost, err := as(ends(pike, 2*time.Second)).Session("lantern-pass", "winter").Join(ctx, client.Joining{})
	require.NoError(t, err)
	watched, watching := make(chan error, 1), as(ends(auth.Who{Role: auth.Server, Game: "lantern-pass"}, 2*time.Second)).Session("lantern-pass", "winter")
	go func() { watched <- watching.Watch(ctx, contract.Sought{}, func(contract.Overview) {}) }()

	<-lost.Done()
	var ended *client.ErrEnded
	require.ErrorAs(t, lost.Err(), &ended)
	assert.Equal(t, wire.CodeToken, ended.Code, "it ran out")
	require.NoError(t, ada.Do(ctx, wire.Ask{Is: "ping"}), "ada's was renewed")
	<-watched // it ends too
	<-ada.Done()
	require.ErrorAs(t, ada.Err(), &ended)
	assert.Equal(t, wire.CodeToken, ended.Code)
	back, err := as(token(t, keys, who)).Session("lantern-pass", "winter").Join(ctx, client.Joining{From: ada})
	require.NoError(t, err)
	assert.True(t, back.Welcome.Resumed, "the seat was kept")
}

func TestKeysRotateAndAreForTheirOwnerAlone(t *testing.T) {
	t.Parallel()
	path := filepath.Join(t.TempDir(), "a.tokens")
	keys, err := auth.Load(path)
	require.NoError(t, err)
	who := auth.Who{Role: auth.Designer}
	before := token(t, keys, who)
	require.NoError(t, auth.Rotate(path))
	keys, err = auth.Load(path)
	require.NoError(t, err)
	after := token(t, keys, who)
	assert.NotEqual(t, strings.Split(before, ".")[0], strings.Split(after, ".")[0], "the newest key signs")
	for _, text := range []string{before, after} {
		got, err := keys.Verify(text)
		require.NoError(t, err)
		assert.True(t, who.Same(got))
	}
	require.NoError(t, os.Chmod(path, 0o644))
	_, err = auth.Load(path)
	require.ErrorContains(t, err, "can be read by others")
	require.NoError(t, os.WriteFile(path, []byte("nothing"), 0o600))
	require.NoError(t, os.Chmod(path, 0o600))
	_, err = auth.Load(path)
	require.ErrorContains(t, err, "line 1")
	for _, bad := range []auth.Who{{Role: "king"}, {Role: auth.Server}, {Role: auth.Player, Game: "lantern-pass"}} {
		_, err := keys.Issue(bad, time.Now(), time.Minute)
		require.Error(t, err)
	}
	_, err = keys.Issue(auth.Who{Role: auth.Player, Game: "g", Player: "p"}, time.Now(), 48*time.Hour)
	require.ErrorContains(t, err, "at most 24h")
}

func TestAConsoleSignsInWithACookie(t *testing.T) {
	t.Parallel()
	h, keys := guarded(t)
	post := func(method, token string) *http.Response {
		req, err := http.NewRequest(method, h.s.URL()+"/v1/login", nil)
		require.NoError(t, err)
		req.Header.Set("Authorization", "Bearer "+token)
		res, err := http.DefaultClient.Do(req)
		require.NoError(t, err)
		_ = res.Body.Close()
		return res
	}
	assert.Equal(t, http.StatusUnauthorized, post("POST", "forged").StatusCode)
	in := post("POST", token(t, keys, auth.Who{Role: auth.Designer}))
	require.Len(t, in.Cookies(), 1)
	kept := in.Cookies()[0]
	assert.True(t, kept.HttpOnly)
	assert.Equal(t, http.SameSiteStrictMode, kept.SameSite)
	req, err := http.NewRequest("GET", h.s.URL()+"/v1/games", nil)
	require.NoError(t, err)
	req.AddCookie(kept)
	for origin, want := range map[string]int{"": 200, h.s.URL(): 200, "https://elsewhere.example": 403} {
		req.Header.Set("Origin", origin)
		if origin == "" {
			req.Header.Del("Origin")
		}
		res, err := http.DefaultClient.Do(req)
		require.NoError(t, err)
		_ = res.Body.Close()
		assert.Equal(t, want, res.StatusCode, origin)
	}
	assert.Negative(t, post("DELETE", "").Cookies()[0].MaxAge)
}

func TestTheServiceSpeaksTLSFromFiles(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	key, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	require.NoError(t, err)
	about := &x509.Certificate{SerialNumber: big.NewInt(1), Subject: pkix.Name{CommonName: "Lantern Pass"}, NotBefore: time.Now().Add(-time.Hour), NotAfter: time.Now().Add(time.Hour),
		IPAddresses: []net.IP{net.IPv4(127, 0, 0, 1)}, IsCA: true, BasicConstraintsValid: true}
	cert, err := x509.CreateCertificate(rand.Reader, about, about, &key.PublicKey, key)
	require.NoError(t, err)
	secret, err := x509.MarshalPKCS8PrivateKey(key)
	require.NoError(t, err)
	certFile, keyFile := filepath.Join(folder, "cert.pem"), filepath.Join(folder, "key.pem")
	require.NoError(t, os.WriteFile(certFile, pem.EncodeToMemory(&pem.Block{Type: "CERTIFICATE", Bytes: cert}), 0o600))
	require.NoError(t, os.WriteFile(keyFile, pem.EncodeToMemory(&pem.Block{Type: "PRIVATE KEY", Bytes: secret}), 0o600))

	data := filepath.Join(folder, "a.db")
	_, err = service.Start(service.Config{Addr: "127.0.0.1:0", Data: data, Cert: certFile})
	require.ErrorIs(t, err, service.ErrTLS)
	_, err = service.Start(service.Config{Addr: "127.0.0.1:0", Data: data, Cert: keyFile, Key: certFile})
	require.ErrorIs(t, err, service.ErrTLS)
	_, err = service.Start(service.Config{Addr: "0.0.0.0:0", Data: data, Cert: certFile, Key: keyFile})
	require.ErrorIs(t, err, service.ErrNotLoopback, "TLS alone keeps nobody out")

	h := &house{t: t, path: data}
	h.s, err = service.Start(service.Config{Addr: "127.0.0.1:0", Data: data, Cert: certFile, Key: keyFile})
	require.NoError(t, err)
	t.Cleanup(h.stop)
	require.True(t, strings.HasPrefix(h.s.URL(), "https://"))
	roots := x509.NewCertPool()
	roots.AddCert(must(x509.ParseCertificate(cert)))
	h.c = client.New(h.s.URL()).Trusting(roots)
	_, err = h.c.PutCommons(ctx, "courier-guild", examples.CourierGuild, "")
	require.NoError(t, err)
	_, _, err = h.c.PutPlan(ctx, "lantern-pass", examples.LanternPass, "")
	require.NoError(t, err)
	h.enter()
	ada := h.machine(client.Joining{Player: "ada", Packed: true})
	ada.move("30", "1")
	_, err = client.New(h.s.URL()).Health(ctx)
	require.Error(t, err, "a certificate that nobody vouches for")
}

func must[T any](x T, err error) T {
	if err != nil {
		panic(err)
	}
	return x
}

func TestAGamesServerNeitherReadsNorDeletesWhatOtherGamesKeep(t *testing.T) {
	t.Parallel()
	h, keys := guarded(t)
	noon := h.market()
	_, err := noon.Do(ctx, contract.Request{Do: "join", Player: "wren"})
	require.NoError(t, err)
	h.sells(noon, "wren")
	_, err = noon.Do(ctx, contract.Request{Do: "leave", Player: "wren"})
	require.NoError(t, err)
	const alone = "alluvion: 1\ngame: alone\ntitle: Alone\nversion: 1\nspace: {axes: [x, y]}\nstart: a/door\ndefaults: {place: {death: checkpoint, leave: exact, new-run: start}}\nsaving: {when: [leave]}\nscenes: {a: {size: [4, 4], spots: {door: {at: [0, 0]}}}}\n"
	_, _, err = h.c.PutPlan(ctx, "alone", []byte(alone), "")
	require.NoError(t, err)
	on, err := h.c.Open(ctx, "alone", "one")
	require.NoError(t, err)
	for _, do := range []string{"join", "leave"} {
		_, err := on.Do(ctx, contract.Request{Do: do, Player: "wren"})
		require.NoError(t, err)
	}
	server := client.New(h.s.URL()).As(token(t, keys, auth.Who{Role: auth.Server, Game: "alone"}))
	held, err := server.Export(ctx, "alone", "wren")
	require.NoError(t, err)
	assert.Empty(t, held.Commons)
	_, err = server.Forget(ctx, "alone", "wren", true)
	assert.Equal(t, 403, status(err))
	_, err = server.Forget(ctx, "alone", "wren", false)
	require.NoError(t, err)
	held, err = h.c.Export(ctx, "lantern-market", "wren")
	require.NoError(t, err)
	assert.NotEmpty(t, held.Commons)
}
