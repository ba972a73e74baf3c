package store

// Ref leads to a place of a list, by its index. The zero Ref leads nowhere.
type Ref uint32

// RefTo is the Ref to the place with an index.
func RefTo(i uint32) Ref { return Ref(i + 1) }

// IsValid says whether the Ref leads anywhere.
func (r Ref) IsValid() bool { return r != 0 }

// Index is that of the place; a Ref that leads nowhere has none.
func (r Ref) Index() uint32 { return uint32(r) - 1 }
