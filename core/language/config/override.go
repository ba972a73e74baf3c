package config

// Override is what an action says of a device, a port or a BGP peer, above its
// configuration.
type Override int8

// The overrides.
const (
	AsConfigured Override = iota
	ForceDisabled
	ForceEnabled
)

// Disabled says whether what is configured so is out of service.
func (o Override) Disabled(configured bool) bool {
	return o == ForceDisabled || configured && o == AsConfigured
}
