package store

import (
	"reflect"
	"time"

	"gorm.io/gorm"
)

// Holds is holds, for tests.
var Holds = holds

// ofTheNext is a kind of change as a newer program has it.
type ofTheNext struct{ Text string }

func (*ofTheNext) apply(*gorm.DB, time.Time) error { return nil }

func init() {
	changes["of-the-next"], newer["of-the-next"] = (*ofTheNext)(nil), Format+1
	nameOf[reflect.TypeOf((*ofTheNext)(nil))] = "of-the-next"
}
