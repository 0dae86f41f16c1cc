package store

import (
	"context"
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"
)

// Commons is a document of variables that several games hold in common.
type Commons struct {
	ID        string `gorm:"primaryKey"`
	Title     string
	Version   int
	ETag      string `gorm:"column:etag"`
	Text      string
	UpdatedAt time.Time `gorm:"autoUpdateTime:false"`
}

// SharedValue is what a player has of a commons, in JSON; it is theirs in every game and slot.
type SharedValue struct {
	Commons string `gorm:"primaryKey"`
	Player  string `gorm:"primaryKey"`
	Name    string `gorm:"primaryKey"`
	Doc     []byte
}

// TableName names the table.
func (Commons) TableName() string { return "commons" }

// TableName names the table.
func (SharedValue) TableName() string { return "commons_values" }

// AllCommons lists the commons, by id.
func (s *Store) AllCommons(ctx context.Context) ([]Commons, error) {
	var list []Commons
	return list, s.read.WithContext(ctx).Order("id").Find(&list).Error
}

// Commons gives one commons, or ErrNotFound.
func (s *Store) Commons(ctx context.Context, id string) (Commons, error) {
	var c Commons
	err := s.read.WithContext(ctx).First(&c, "id = ?", id).Error
	return c, notFound(err, "commons %s", id)
}

// PutCommons makes a text the commons of its id. ifMatch is as in PutPlan.
func (s *Store) PutCommons(ctx context.Context, c Commons, ifMatch string) (Commons, error) {
	put := &putsCommons{c, ifMatch}
	err := s.do(ctx, put)
	return put.Commons, err
}

// putsCommons is PutCommons as a change.
type putsCommons struct {
	Commons Commons
	IfMatch string
}

func (p *putsCommons) apply(tx *gorm.DB, at time.Time) error {
	c := &p.Commons
	c.ETag, c.UpdatedAt = ETagOf(c.Text), at
	var done *gorm.DB
	if p.IfMatch == "" {
		done = tx.Clauses(clause.OnConflict{DoNothing: true}).Create(c)
	} else {
		done = tx.Model(&Commons{}).Where("id = ? AND etag = ?", c.ID, p.IfMatch).
			Updates(map[string]any{"title": c.Title, "version": c.Version, "etag": c.ETag, "text": c.Text,
				"updated_at": c.UpdatedAt})
	}
	if done.Error == nil && done.RowsAffected == 0 {
		return ErrConflict
	}
	return done.Error
}

// Shared gives all that a player has of any commons.
func (s *Store) Shared(ctx context.Context, player string) ([]SharedValue, error) {
	var list []SharedValue
	return list, s.read.WithContext(ctx).Order("commons, name").Find(&list, "player = ?", player).Error
}

func writeShared(tx *gorm.DB, p PlayerCut) error {
	if len(p.Shared) == 0 {
		return nil
	}
	return tx.Clauses(clause.OnConflict{UpdateAll: true}).Create(&p.Shared).Error
}

// CommonsText reads commons for a plan that uses them.
func (s *Store) CommonsText(ctx context.Context) func(id string) ([]byte, error) {
	return func(id string) ([]byte, error) {
		c, err := s.Commons(ctx, id)
		return []byte(c.Text), err
	}
}
