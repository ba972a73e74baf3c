package sweep

import "hellebore/core/questions/failure"

// Unargued tries a failure, whatever follows from the network.
func (s *Sweep) Unargued(f failure.Failure) (Impact, error) {
	steps, err := f.Perform(s.base, s.lab, s.history.Text(), nil)
	if err != nil {
		return Impact{}, err
	}
	r := s.judge(f, steps, nil)
	r.work = 0
	return r, nil
}
