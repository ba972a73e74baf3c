package history

import "hellebore/core/simulation/network"

const (
	// frameWork is the work between two keyframes of a short action: 100 to 300 ms.
	frameWork = 150_000
	// mostFrames is how many keyframes an action has at most. While a network comes up all of it changes from one to the
	// next, so each costs as much as the network.
	mostFrames = 4
)

// keyframes are copies of an action's world, in order, to come back to. A long action has them further apart, not more of them, and so
// has a large network, of which each costs more.
type keyframes struct {
	worlds   []*network.World
	apart    uint64 // work between two
	previous uint64 // work at the last one
}

// begun are the keyframes of an action that begins with a world.
func begun(w *network.World) keyframes {
	return keyframes{apart: max(frameWork, maxWork(w)/16), previous: w.Work()}
}

// pass keeps a copy if it is time for one.
func (k *keyframes) pass(w *network.World) {
	if w.Work()-k.previous < k.apart {
		return
	}
	if len(k.worlds) == mostFrames {
		for i := range mostFrames / 2 {
			k.worlds[i] = k.worlds[2*i+1]
		}
		clear(k.worlds[mostFrames/2:])
		k.worlds = k.worlds[:mostFrames/2]
		k.apart *= 2
		if w.Work()-k.previous < k.apart {
			return
		}
	}
	k.worlds, k.previous = append(k.worlds, keyframe(w)), w.Work()
}

// keyframe is a copy to come back to. Digests go with it: what one costs later is what changes later.
func keyframe(w *network.World) *network.World {
	w.Digest(true)
	return w.Clone()
}
