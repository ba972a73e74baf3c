package labtext

import (
	"slices"
	"strings"

	"hellebore/core/ground/phrase"
)

// Statement is a statement of the language where it may stand, with an example.
type Statement struct {
	In      Context `json:"in" doc:"the block that it is in; the lab itself is one"`
	Word    string  `json:"word"`
	Usage   string  `json:"usage" doc:"its form: cost NUMBER"`
	Help    string  `json:"help"`
	Default string  `json:"default,omitempty"`
	Range   string  `json:"range,omitempty"`
	Change  string  `json:"change" doc:"what changing it does to a running network"`
	RFC     string  `json:"rfc,omitempty"`
	Example string  `json:"example" doc:"lines of the lab of all examples, with the blocks that they are in"`
}

// Statements are all statements in the order of the reference, each once for every block
// that it may be in.
func Statements() []Statement {
	found := examples()
	var out []Statement
	for _, in := range contexts() {
		for _, r := range rowsIn(in) {
			out = append(out, Statement{in, r.Word, r.Usage(), phrase.Text(r.Help), phrase.Text(r.Default), r.bounds(),
				phrase.Text(string(r.Effect)), r.RFC, found[rowPlace{in, r.Word}]})
		}
	}
	return out
}

type rowPlace struct {
	in   Context
	word string
}

// examples are the lines of the example lab for each statement: the first that has it,
// below the first lines of the blocks around it.
func examples() map[rowPlace]string {
	root, _ := parse(Examples)
	rows := strings.Split(Examples, "\n")
	out := map[rowPlace]string{}
	var visit func(n *Node, in Context, above []int)
	visit = func(n *Node, in Context, above []int) {
		for _, c := range n.Children {
			lines := above
			if !slices.Contains(above, c.Word.Line) { // else it stands behind what it belongs to
				lines = append(slices.Clone(above), c.Word.Line)
			}
			if key := (rowPlace{in, c.Row.Word}); out[key] == "" {
				var text []string
				for _, l := range lines {
					text = append(text, rows[l-1])
				}
				out[key] = strings.Join(text, "\n")
			}
			visit(c, c.Row.Opens, lines)
		}
	}
	visit(root, Top, nil)
	return out
}

// Examples is a lab that has every statement in every block that it may be in. It settles,
// and its checks pass.
const Examples = `lab "Every statement"
  about "One lab that uses each statement of the language, for its examples"
  difficulty hard
  seed 7
  hello-jitter off

plan links 10.0.0.0/24 length 30 area 0
plan loopbacks 10.255.9.0/24 as 64500
plan lans 10.20.0.0/16

defaults bandwidth 1G mtu 1500
  type point-to-point
  hello-interval 10s
  dead-interval 40s
  retransmit-interval 5s
  transmit-delay 1s
  priority 1
  reference-bandwidth 10G
  max-ecmp 16
  spf-initial-delay 50ms
  spf-short-delay 200ms
  spf-long-delay 5s
  spf-time-to-learn 500ms
  spf-hold-down 10s
  rfc1583-compatibility on
  med-among same-as
  multipath 1
  in-use-only off
  best-external off
  external-policy optional
  loop-check on
  connect-retry 30s
  hold-time 90s
  min-advertisement-interval 5s
  four-octet-as on
  route-refresh on

template inside
  ospf area 0 passive
template cable bandwidth 100M
template quiet-end at 40 60
template signed
  keys larch
template everyone
  import-policy marked
  export-policy everything
template station
  ospf
    max-ecmp 4

router mill at 40 40
  router-id 10.255.0.1
  loopback lo 10.255.0.1/32 like inside
  loopback spare 10.255.1.1/32 disabled
  port e1 10.0.12.1/30 like cable mtu 1400
    ospf area 0
      type point-to-point
      cost 20
      hello-interval 5s
      dead-interval 20s
      retransmit-interval 4s
      transmit-delay 2s
      priority 10
      mtu-ignore
  port e2 bandwidth 10G
    vlan 10 10.0.13.1/30 like cable mtu 1500
      ospf area 1
        keys larch
    vlan 20 10.0.14.1/30 bandwidth 1G disabled
  port e3 10.0.15.1/30 disabled
    ospf area 0 passive
  port e4 10.0.16.1/30
    ospf area 2 disabled
  port up 192.0.2.1/30
  port up2 192.0.2.5/30
  port yard 10.1.1.1/24
    ospf area 1 passive
  port shed 10.2.1.1/24
    ospf area 1 passive
  port lan 10.20.1.1/24 like inside
  static 203.0.113.0/24 blackhole
  static 198.51.100.128/25 via 192.0.2.2 preference 200
  ospf
    reference-bandwidth 10G
    max-ecmp 8
    spf-initial-delay 10ms
    spf-short-delay 50ms
    spf-long-delay 1s
    spf-time-to-learn 500ms
    spf-hold-down 5s
    rfc1583-compatibility on
    area 1 like signed
      range 10.1.0.0/16
        cost 30
      range 10.2.0.0/16 hidden
      virtual-link 10.255.0.3 disabled off
        hello-interval 5s
        dead-interval 20s
        retransmit-interval 5s
        transmit-delay 1s
        keys larch
    area 2
      stub no-summary
        default-cost 5
    inject static through ours metric 50 type 1 tag 7
    summary 203.0.112.0/22 tag 7
    summary 198.51.0.0/16 hidden
    originate default always metric 10 type 2 tag 9
  bgp as 64500
    cluster-id 10.255.0.1
    med-among all
    multipath 2 any-as
    in-use-only on
    best-external on
    external-policy required
    loop-check on
    connect-retry 20s
    originate 203.0.113.0/24 through own when 10.20.1.0/24
    originate 203.0.113.128/25 unless 10.20.1.0/24
    inject ospf through own
    aggregate 203.0.112.0/22 alone as-set through own
    feed 2000 within 10.64.0.0/10 seed 7 as-range 64600..64999
    peer-group stations client
      as 64500
      description "the stations of the railway"
      local-address lo
      keys heron
      hold-time 30s
      min-advertisement-interval 1s
      next-hop-self
      import-policy everything
      export-policy everything
      max-prefixes 100
      own-as-allowed 1
      four-octet-as on
      route-refresh on
      loop-check off
    peer-group carriers passive disabled
      multihop off
      ttl-security 1
      next-hop-unchanged off
      remove-private-as
      originate default
      local-as off
      no-prepend-inbound off
      replace-old-as off
      shutdown-message "closed for works"
    peer 10.255.0.2 group stations
    peer 10.255.0.3 as 64500 client passive
      description "ford"
      local-address lo
      keys heron
      hold-time 30s
      min-advertisement-interval 1s
      next-hop-self
      import-policy everything
      export-policy everything
      max-prefixes 100
      own-as-allowed 1
      four-octet-as on
      route-refresh on
    peer 192.0.2.2 like everyone as 64496
      ttl-security 1
      next-hop-unchanged
      remove-private-as
      local-as 64499
      no-prepend-inbound
      replace-old-as
      loop-check off
      originate default when 203.0.113.0/24
    peer 192.0.2.6 as 64497 disabled
      multihop 2
      shutdown-message "closed for works"
      originate default unless 203.0.113.0/24

router weir like station
  loopback lo 10.255.0.2/32
    ospf area 0 passive
  port e1 10.0.12.2/30 bandwidth 100M mtu 1400
    ospf area 0
      hello-interval 5s
      dead-interval 20s
      cost 20
  bgp as 64500
    peer 10.255.0.1 as 64500
      local-address lo
      keys heron
  take ferry through from-ferry
  instance ferry
    router-id 10.255.7.1
    loopback quay-lo 10.255.7.1/32
      ospf area 0 passive
    port quay 10.70.0.1/30
      ospf area 0
    static 10.71.0.0/16 via 10.70.0.2
    ospf
      max-ecmp 4
    bgp as 64500
      peer 10.70.0.2 as 64510 like everyone
    take main through everything
  prefix-set ours
    203.0.113.0/25
  policy everything
    statement ours
      where prefix in ours
      accept
    statement rest
      where as-path in short community in from-carriers tag in injected neighbour in carriers
      reject
    otherwise accept
  as-path-set short
    path 64497 *
  community-set from-carriers
    community 64500:7
  tag-set injected
    tag 8
  neighbour-set carriers
    neighbour 192.0.2.6

router ferryman
  loopback lo 10.72.0.1/16
  port e1 10.70.0.2/30
    ospf area 0
  bgp as 64510
    originate 10.72.0.0/16
    peer 10.70.0.1 as 64500 like everyone

router ford
  loopback lo 10.255.0.3/32
    ospf area 1 passive own-mask
  port e2
    vlan 10 10.0.13.2/30 bandwidth 100M
      ospf area 1
        keys larch
    vlan 20 10.0.14.2/30
  port lake 10.0.17.1/30
    ospf area 3
  ospf
    area 1
      keys larch
      virtual-link 10.255.0.1
        hello-interval 5s
        dead-interval 20s
        keys larch
    area 3
      nssa no-summary
        translate always
        default-cost 5
        summary 172.20.0.0/16
  bgp as 64500
    peer 10.255.0.1 as 64500
      local-address lo
      keys heron

router pier
  port lake 10.0.17.2/30
    ospf area 3
  port far 172.20.1.1/24
  ospf disabled off
    area 3
      nssa
    inject connected

router old-pier disabled
  port e1 172.21.1.1/24
    ospf area 0
  ospf disabled
  bgp as 64512 disabled

router skylark
  port e1 192.0.2.2/30
  port lan 198.51.100.1/24
  bgp as 64496
    originate 198.51.100.0/24
    peer 192.0.2.1 as 64499 like everyone
      ttl-security 1

router gannet
  port e1 192.0.2.6/30
  bgp as 64497
    peer 192.0.2.5 as 64500 like everyone

host kiosk 10.20.1.10/24 gateway 10.20.1.1 at 240 60
  service 443 "tickets"
host gate 10.20.1.11/24 like quiet-end gateway 10.20.1.1 disabled
host crane 198.51.100.10/24 gateway 198.51.100.1

link mill.e1 weir.e1 delay 2ms loss 0.1% reorder 0.1% duplicate 0.1%
link mill.e2 ford.e2
link ford.lake pier.lake
link mill.up skylark.e1
link mill.up2 gannet.e1
link weir.quay ferryman.e1
link skylark.lan crane
segment yard mill.lan kiosk gate at 140 60 delay 1ms
flow tickets kiosk -> crane every 100ms rate 40M

key-chain larch
  key 1 md5 "meadow-brown" send 0s..10h accept 0s..12h
  key 2 hmac-sha-256 "orange-tip"
key-chain heron
  key 1 md5 "grey-wing"

prefix-set ours
  203.0.113.0/24 length 24..26
as-path-set short
  path 64496 *
community-set from-carriers
  community 64500:*
tag-set injected
  tag 7 9
neighbour-set carriers
  neighbour 192.0.2.2

policy everything
  statement all
    accept

policy marked
  statement all
    add community 64500:100
    accept

policy from-ferry
  statement ferry
    where instance ferry
    set tag 72
    accept

policy own
  statement carriers
    where community in from-carriers
    reject
  statement shape
    where prefix in ours source static metric < 100 tag = 7
    set metric 10 metric-type 1 tag 9
  statement prefer
    where as-path in short neighbour in carriers next-hop in ours route-type external origin igp med < 100 local-preference >= 100 as-path-length < 5 policy everything
    prepend 64500 times 2
    set local-preference 200 med 10 origin incomplete next-hop self
    add community 64500:100
    remove community 64500:1
      med
      private-as
    replace community 64500:2
  statement swap
    where as-path in short
    replace as 64496
  statement whole
    where tag in injected
    replace as-path 64500
  otherwise accept

risk-group "north duct"
  links mill.e1 mill.e2
  segments yard
  devices ford

check "tickets arrive"
  expect flow tickets outage < 1s
  expect reach kiosk -> crane
  expect no-reach crane -> old-pier
  expect path kiosk -> crane through skylark avoiding weir
  expect route mill 198.51.100.0/24 source bgp via skylark metric < 10 local-preference >= 100 as-path-length = 1 community 64500:100
  expect no-route weir 10.99.0.0/16
  expect neighbour mill weir Full
  expect sent mill skylark 203.0.112.0/22
  expect not-sent mill skylark 10.20.1.0/24
check "tickets arrive whatever fails"
  whenever link fails except crane mill.up
  expect flow tickets outage < 1s
check "tickets arrive without weir"
  when cut mill.e1
  expect flow tickets

brief
  text "Each statement stands here once. Nothing has to be done."
  task "See that tickets arrive"
    check "tickets arrive"
    act cut
    look timeline
  question "What does a check cost?"
    answer "Nothing: what it does first is done to a copy of the network."
`
