package store

import (
	"fmt"
	"testing"

	"aldermoor/internal/library/materials"
	"aldermoor/internal/library/studio"
)

// BenchmarkDrafts is the Bench's list among 20,000 drafts whose rows are as long as real ones, for several questions.
func BenchmarkDrafts(b *testing.B) {
	ctx := b.Context()
	s, err := Open(ctx, b.TempDir())
	if err != nil {
		b.Fatal(err)
	}
	defer s.Close()
	report := `{"findings":[` + fmt.Sprintf("%6000s", "") + `]}`
	if _, err := s.write.ExecContext(ctx, `WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n WHERE i < 20000)
		INSERT INTO materials (set_key, name, slug, version, stage, width, height, size_source, depth, depth_source, relief, relief_trust, licence, author, rights, station, captured, contact,
			tags, categories, report, doubts, created, updated, released, released_version, folded)
		SELECT 'k' || i, 'Material ' || (i * 7919 % 20011), 'm' || i, 1 + i % 5, 'accepted', 1 + i % 7, 1.5, 'name', 0, '', 0, 0, '', '', '', 'Station ' || (i % 9), '', '',
			'["tag' || (i % 40) || '"]', '["Stone / Kind ' || (i % 30) || '"]', ?, i % 3, i, i * 104729 % 1000003, i % 2, 3, 'material ' || i || ' stone / kind ' || (i % 30) FROM n`, report); err != nil {
		b.Fatal(err)
	}
	for name, q := range map[string]materials.DraftQuery{
		"newest": {Page: 1, Per: 60}, "work": {Page: 1, Per: 60, State: materials.NeedsWork, Order: materials.ByWork}, "text": {Page: 1, Per: 60, Text: "kind 12"},
		"last page by name": {Page: 300, Per: 60, Order: materials.ByName}, "station": {Page: 1, Per: 60, Station: "Station 3"},
	} {
		b.Run(name, func(b *testing.B) {
			for b.Loop() {
				err := s.Read(ctx, func(tx studio.Reader) error {
					list, err := tx.Drafts(q)
					if err == nil && len(list.Items) == 0 {
						b.Errorf("%+v finds nothing", q)
					}
					return err
				})
				if err != nil {
					b.Fatal(err)
				}
			}
		})
	}
}
