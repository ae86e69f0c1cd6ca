package known_test

import (
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/require"

	"arbora.example/access/model"
	"arbora.example/internal/known"
)

// TestWhatWasForgottenIsNotKnown keeps and forgets at random, and holds what is known against all that ever happened.
func TestWhatWasForgottenIsNotKnown(t *testing.T) {
	random := rand.New(rand.NewPCG(1, 2))
	var changes known.Changes
	values := known.NewValues[int, int](&changes, 1000)
	type reading struct {
		value int
		mark  known.Mark
		at    int // in the order of all that happens
		of    []model.ID
	}
	thing := func() model.ID { return model.ID{byte(random.IntN(20) + 1)} }
	begun, kept, changed := map[int]reading{}, map[int]reading{}, map[model.ID]int{}
	all := 0 // when all was forgotten last
	for now := 1; now < 20_000; now++ {
		key := random.IntN(30)
		switch random.IntN(5) {
		case 0:
			begun[key] = reading{now, changes.Mark(), now, []model.ID{thing(), thing()}}
		case 1:
			if one, ok := begun[key]; ok {
				values.Put(key, one.value, one.mark, one.of...)
				kept[key] = one
			}
		case 2:
			ids := []model.ID{thing()}
			changes.Forget(ids)
			changed[ids[0]] = now
		case 3:
			if random.IntN(100) == 0 {
				changes.Forget(nil)
				all = now
			}
		case 4:
			one, there := kept[key]
			there = there && one.at > all
			for _, id := range one.of {
				there = there && one.at > changed[id]
			}
			value, ok := values.Get(key)
			require.Equal(t, there, ok, "at %d", now)
			if ok {
				require.Equal(t, one.value, value)
			}
		}
	}
}

// TestManyChangesForgetAll changes more things than are told apart.
func TestManyChangesForgetAll(t *testing.T) {
	var changes known.Changes
	values := known.NewValues[string, int](&changes, 10)
	values.Put("a", 1, changes.Mark(), model.ID{1})
	many := make([]model.ID, 60_000)
	for n := range many {
		many[n] = model.ID{2, byte(n >> 16), byte(n >> 8), byte(n)}
	}
	changes.Forget(many)
	_, ok := values.Get("a")
	require.True(t, ok, "none of them is what it depends on")
	changes.Forget(many)
	_, ok = values.Get("a")
	require.False(t, ok)
	values.Put("a", 1, changes.Mark(), model.ID{1})
	_, ok = values.Get("a")
	require.True(t, ok)
	values.Drop("a")
	_, ok = values.Get("a")
	require.False(t, ok)
}
