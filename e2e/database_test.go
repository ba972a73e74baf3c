package e2e

import (
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"gorm.io/driver/postgres"
	"gorm.io/gorm"
	"gorm.io/gorm/logger"
)

const patience = 10 * time.Second

var direct *gorm.DB

// query asks the database behind the program's back.
func query(t testing.TB, into any, sql string, args ...any) {
	t.Helper()
	if direct == nil {
		db, err := gorm.Open(postgres.Open(database.URL()), &gorm.Config{Logger: logger.Discard})
		require.NoError(t, err)
		direct = db
	}
	require.NoError(t, direct.Raw(sql, args...).Scan(into).Error)
}

// journalled is how many actions a lab's journal has.
func journalled(t testing.TB, lab string) (n int) {
	query(t, &n, "SELECT count(*) FROM journal WHERE lab_id = ?", lab)
	return n
}

// digests are what the journal says its actions came to.
func digests(t testing.TB, lab string) (d []int64) {
	query(t, &d, "SELECT digest FROM journal WHERE lab_id = ? AND done ORDER BY seq", lab)
	return d
}
