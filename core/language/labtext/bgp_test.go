package labtext

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/require"
)

// TestAMemberOverridesItsGroup: whatever a group says, a member can say otherwise.
func TestAMemberOverridesItsGroup(t *testing.T) {
	r := Parse(`router a
  loopback lo 10.255.0.1/32
  port e1 192.0.2.1/24
  bgp as 64500
    peer-group all
      as 64496
      local-address lo
      multihop 3
      max-prefixes 10
      own-as-allowed 1
      hold-time 30s
      passive
      next-hop-self
      import-policy good
      export-policy good
      originate default
      loop-check off
      route-refresh off
      min-advertisement-interval 3s
      keys heron
    peer 192.0.2.2 group all
    peer 192.0.2.3 as 64497 group all
      local-address none
      multihop off
      max-prefixes off
      own-as-allowed off
      hold-time 60s
      passive off
      next-hop-self off
      import-policy none
      export-policy none
      originate default off
      loop-check on
      route-refresh on
      min-advertisement-interval 4s
      ttl-security 1
      keys none
key-chain heron
  key 1 md5 "grey-wing"
policy good
  otherwise accept
`)
	require.True(t, r.OK(), "%v", r.Problems)
	member, other := r.Lab.Devices[0].BGP.Peers[0], r.Lab.Devices[0].BGP.Peers[1]
	require.Equal(t, "lo 3 10 1 30s", member.Local+" "+fmt.Sprint(member.Multihop, member.MaxPrefixes, member.OwnAS)+" "+FormatDuration(member.HoldTime))
	require.True(t, member.Passive && member.NextHopSelf && member.Default && member.NoLoopCheck && member.NoRefresh)
	require.Equal(t, []string{"good", "good"}, []string{member.Import, member.Export})
	require.EqualValues(t, 64497, other.AS)
	require.Equal(t, " 0 0 0 60s", other.Local+" "+fmt.Sprint(other.Multihop, other.MaxPrefixes, other.OwnAS)+" "+FormatDuration(other.HoldTime))
	require.False(t, other.Passive || other.NextHopSelf || other.Default || other.NoLoopCheck || other.NoRefresh)
	require.Equal(t, []string{"", ""}, []string{other.Import, other.Export})
	require.EqualValues(t, 1, other.TTLSecurity)
	require.EqualValues(t, 4e9, other.Interval)
	require.Equal(t, "grey-wing", member.Keys.Keys[0].Secret)
	require.Nil(t, other.Keys)
}

func TestSessionsAreSignedWithMD5(t *testing.T) { // RFC 2385 knows nothing else
	text := "router mill\n  bgp as 64500\n    peer 192.0.2.2 as 64496\n      keys heron\n"
	for chain, want := range map[string]string{
		"key-chain heron\n  key 3 hmac-sha-256 \"x\"\n": "key 3 of heron is hmac-sha-256, and sessions are signed with md5 (RFC 2385)",
		"key-chain hern\n  key 3 md5 \"x\"\n":           "there is no key chain named heron",
	} {
		r := Parse(text + chain)
		require.Len(t, r.Problems, 1)
		require.Contains(t, r.Problems[0].Message, want)
	}
}
