package client_test

import (
	"bytes"
	"context"
	"io"
	"net/http"
	"net/http/httptest"
	"os"
	"reflect"
	"regexp"
	"strings"
	"sync"
	"testing"

	"github.com/goccy/go-yaml"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/client"
)

var ctx = context.Background()

// asked is one request as a service heard it.
type asked struct{ method, path, token, kind string }

// service answers everything with the same, and remembers what it was asked.
func service(t *testing.T, status int, body string) (*client.Client, func() []asked) {
	var mutex sync.Mutex
	var all []asked
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		_, _ = io.Copy(io.Discard, r.Body)
		mutex.Lock()
		all = append(all, asked{r.Method, r.URL.EscapedPath(), r.Header.Get("Authorization"), r.Header.Get("Content-Type")})
		mutex.Unlock()
		w.Header().Set("Content-Type", "application/json")
		w.WriteHeader(status)
		_, _ = w.Write([]byte(body))
	}))
	t.Cleanup(server.Close)
	return client.New(server.URL + "/").As("t0ken"), func() []asked {
		mutex.Lock()
		defer mutex.Unlock()
		out := all
		all = nil
		return out
	}
}

// Every method asks for something that the contract has, by the right method, with the token; and an id never becomes
// another path.
func TestEveryMethodAsksForWhatTheContractHas(t *testing.T) {
	routes := contract(t)
	c, heard := service(t, http.StatusOK, "{}")
	of := reflect.ValueOf(c)
	tried := 0
	for i := range of.NumMethod() {
		name := of.Type().Method(i).Name
		method := of.Method(i)
		kind := method.Type()
		if kind.NumIn() == 0 || kind.In(0) != reflect.TypeFor[context.Context]() || name == "Connect" {
			continue
		}
		args := []reflect.Value{reflect.ValueOf(ctx)}
		for in := 1; in < kind.NumIn(); in++ {
			if kind.IsVariadic() && in == kind.NumIn()-1 {
				break
			}
			args = append(args, sample(kind.In(in)))
		}
		method.Call(args)
		requests := heard()
		if !assert.NotEmpty(t, requests, "%s asks for something", name) {
			continue
		}
		for _, r := range requests {
			assert.True(t, has(routes, r), "%s asks %s %s, which the contract does not have", name, r.method, r.path)
			assert.Equal(t, "Bearer t0ken", r.token, name)
			assert.NotContains(t, r.path, "//", name)
		}
		tried++
	}
	assert.Greater(t, tried, 50)
}

// sample is a value for an argument: ids have a slash in them, which has to be escaped.
func sample(t reflect.Type) reflect.Value {
	switch t.Kind() {
	case reflect.String:
		return reflect.ValueOf("a/b c").Convert(t)
	case reflect.Int, reflect.Int64, reflect.Uint32:
		return reflect.ValueOf(3).Convert(t)
	case reflect.Slice:
		if t.Elem().Kind() == reflect.Uint8 {
			return reflect.ValueOf([]byte("{}")).Convert(t)
		}
	case reflect.Func:
		return reflect.MakeFunc(t, func([]reflect.Value) []reflect.Value {
			out := make([]reflect.Value, t.NumOut())
			for i := range out {
				out[i] = reflect.Zero(t.Out(i))
			}
			return out
		})
	case reflect.Interface:
		if t == reflect.TypeFor[io.Reader]() {
			return reflect.ValueOf(bytes.NewReader(nil))
		}
	}
	return reflect.Zero(t)
}

// contract are the routes of the service's contract, by method.
func contract(t *testing.T) map[string][]*regexp.Regexp {
	raw, err := os.ReadFile("../api/openapi.yaml")
	require.NoError(t, err)
	var doc struct {
		Paths map[string]map[string]any `yaml:"paths"`
	}
	require.NoError(t, yaml.Unmarshal(raw, &doc))
	parameter := regexp.MustCompile(`\\\{[^}]*\\\}`)
	out := map[string][]*regexp.Regexp{}
	for path, methods := range doc.Paths {
		pattern := regexp.MustCompile("^" + parameter.ReplaceAllString(regexp.QuoteMeta(path), "[^/]+") + "$")
		for method := range methods {
			out[strings.ToUpper(method)] = append(out[strings.ToUpper(method)], pattern)
		}
	}
	return out
}

func has(routes map[string][]*regexp.Regexp, r asked) bool {
	for _, pattern := range routes[r.method] {
		if pattern.MatchString(r.path) {
			return true
		}
	}
	return false
}

func TestWhatIsWrongIsToldAsTheServiceSaysIt(t *testing.T) {
	c, _ := service(t, http.StatusConflict, `{"title":"The session is closed","status":409,"detail":"It was closed.","kind":"closed"}`)
	_, err := c.Games(ctx)
	var problem *client.Problem
	require.ErrorAs(t, err, &problem)
	assert.Equal(t, 409, problem.Status)
	assert.Contains(t, err.Error(), "It was closed.")

	c, _ = service(t, http.StatusBadGateway, "<html>down</html>")
	_, err = c.Games(ctx)
	require.ErrorAs(t, err, &problem, "also of what stands before the service")
	assert.Equal(t, 502, problem.Status)
	assert.Contains(t, problem.Detail, "down")

	c, _ = service(t, http.StatusOK, "{{{")
	_, err = c.Games(ctx)
	require.ErrorContains(t, err, "cannot be read")
	_, err = client.New("http://127.0.0.1:1").Games(ctx)
	require.Error(t, err)
	_, err = client.New("::").Games(ctx)
	require.Error(t, err)
}

func TestAClientWithoutATokenSendsNone(t *testing.T) {
	_, heard := service(t, http.StatusOK, "[]")
	assert.Empty(t, heard())
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		assert.Empty(t, r.Header.Get("Authorization"))
		_, _ = w.Write([]byte("[]"))
	}))
	defer server.Close()
	games, err := client.New(server.URL).Games(ctx)
	require.NoError(t, err)
	assert.Empty(t, games)
}
