package main

import (
	"fmt"
	"os"
	"time"

	"alluvion.dev/client"
	"alluvion.dev/service"
	"alluvion.dev/service/auth"
	"alluvion.dev/service/store"
)

// runToken makes a token, from the keys that lie beside a service's data.
func runToken(c *call) (int, error) {
	if len(c.args) != 1 {
		fmt.Fprintf(c.err, "alluvion: the file that the service keeps its data in is wanted, not %d arguments.\n",
			len(c.args))
		return wrongUse, errUse
	}
	if err := store.IsData(c.args[0]); err != nil {
		return failed, fmt.Errorf("%w: a token made from other keys would open nothing", err)
	}
	path := service.KeysFile(c.args[0])
	if c.rotate {
		if err := auth.Rotate(path); err != nil {
			return failed, err
		}
		fmt.Fprintln(c.err, "A new key signs from now on. Start the service again; tokens made before stay good until they are too old.")
	}
	keys, err := auth.Load(path)
	if err != nil {
		return failed, err
	}
	who := auth.Who{Role: auth.Role(c.role), Game: c.game, Player: c.who}
	good := c.lasts
	if good == 0 {
		good = auth.OthersFor
		if who.Role == auth.Player {
			good = auth.PlayerFor
		}
	}
	token, err := keys.Issue(who, time.Now(), good)
	if err != nil {
		fmt.Fprintf(c.err, "alluvion: %v.\n", err)
		return wrongUse, errUse
	}
	fmt.Fprintln(c.out, token)
	return fine, nil
}

// remote is the service that -service names; a token for it comes from the environment, so that it stands in no list of
// commands.
func (c *call) remote() *client.Client { return c.serviceAt(c.service) }

func (c *call) serviceAt(address string) *client.Client {
	return client.New(address).As(os.Getenv("ALLUVION_TOKEN"))
}
