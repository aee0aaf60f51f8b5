//! By which test with real routers, filters, name servers or programs each scene of the
//! simulated network is backed: `file::test` in `crates/cli/tests`.

const BACKING: &[(&str, &[&str])] = &[
    (
        "namespaces_way::a_range_that_is_dropped_and_a_host_that_answers",
        &["range-dropped-far-port", "all-ports-dropped-echo"],
    ),
    (
        "real_names::what_a_resolver_says_of_a_name_decides_the_cause",
        &[
            "name-without-address",
            "near-name-exists",
            "alias-into-void",
            "unknown-name",
        ],
    ),
    (
        "real_names::name_servers_that_refuse_or_say_nothing",
        &[
            "resolver-refuses",
            "name-service-refuses",
            "resolvers-silent",
        ],
    ),
    (
        "lying_names::whatever_comes_it_ends_in_a_fact",
        &["resolver-lies", "resolver-fails"],
    ),
    (
        "real_names::a_hosts_file_that_hides_the_right_address",
        &["hosts-file-wrong"],
    ),
    (
        "real_names::two_name_servers_that_disagree",
        &["resolver-denies", "resolver-behind"],
    ),
    (
        "lying_names::a_resolver_that_is_silent_holds_nothing_up",
        &["second-resolver-dead"],
    ),
    ("lying_names::a_name_without_its_domain", &["suffix-lost"]),
    (
        "real_names::service_records_lead_to_the_port",
        &["service-records", "service-record-void"],
    ),
    (
        "namespaces::a_resolver_that_never_answers_does_not_hold_up_the_end",
        &["silent-names"],
    ),
    (
        "namespaces::a_name_with_a_closed_address_first",
        &["hosts-file-right", "closed-address-first"],
    ),
    (
        "namespaces_way::the_second_router_drops_and_is_named",
        &["dropped"],
    ),
    (
        "namespaces::a_router_that_drops_everything",
        &["dropped-altogether"],
    ),
    (
        "namespaces::a_router_that_prohibits",
        &["rejected-by-router"],
    ),
    (
        "namespaces_way::resets_by_routers_are_told_from_the_hosts_own",
        &["reset-by-router", "reset-early"],
    ),
    ("namespaces::a_host_that_rejects", &["rejected-by-host"]),
    ("namespaces::a_host_that_is_not_there", &["absent-host"]),
    ("namespaces::a_client_without_a_way", &["no-way-there"]),
    (
        "namespaces::a_name_with_a_dead_address_first",
        &["dead-address-first"],
    ),
    (
        "namespaces::a_way_that_loses_packets",
        &["lossy-and-impatient"],
    ),
    (
        "namespaces::a_way_that_loses_every_third_packet",
        &["lossy-link"],
    ),
    (
        "namespaces_way::the_first_router_drops_and_is_named",
        &["dropped-early"],
    ),
    (
        "namespaces_way::devices_that_keep_silent",
        &["dropped-in-the-dark", "host-drops"],
    ),
    (
        "namespaces_way::a_reset_by_the_host_looks_like_a_closed_port",
        &["reset-by-host", "closed-elsewhere", "six-only"],
    ),
    (
        "namespaces_way::this_machines_own_filter_is_found_out",
        &[
            "own-filter-drops",
            "own-filter-read",
            "own-filter-rejects",
            "own-filter-resets",
        ],
    ),
    (
        "namespaces_way::a_full_queue_elsewhere_is_not_called_a_filter",
        &["queue-full-elsewhere"],
    ),
    (
        "namespaces_way::a_server_on_another_port_is_found",
        &["on-another-port"],
    ),
    (
        "namespaces_way::a_hole_for_large_packets_is_proved_by_small_ones",
        &["large-packets-vanish"],
    ),
    (
        "namespaces_way::a_private_address_that_leaves_for_the_public_network",
        &["private-from-outside"],
    ),
    (
        "namespaces_way::every_icmp_code_is_read_with_its_sender",
        &["host-prohibited", "no-network-behind"],
    ),
    (
        "namespaces_way::what_else_sits_on_the_port",
        &[
            "other-engines-port",
            "swapped-digits",
            "ssh-on-port",
            "mail-on-port",
            "files-on-port",
            "web-on-port",
            "proxy-on-port",
            "redis-on-port",
            "mongodb-on-port",
            "header-wanted",
            "tls-on-port",
            "quiet-web-on-port",
            "manifest-on-port",
            "sailings-on-port",
            "fares-on-port",
            "socks-on-port",
        ],
    ),
    (
        "this_machine::what_listens_here_tells_why_a_port_is_closed",
        &["other-port-here", "loopback-only-here", "socket-file-only"],
    ),
    (
        "this_machine::tunnels_of_a_real_ssh_client",
        &[
            "tunnel-not-there",
            "tunnel-beside-server",
            "tunnel-into-void",
            "tunnel-overshadowed",
        ],
    ),
    (
        "namespaces::a_first_host_that_hangs_and_one_that_is_given_a_time",
        &["first-host-hangs", "first-host-timed-out"],
    ),
    (
        "namespaces::a_driver_that_takes_the_first_address_only",
        &["first-address-only", "third-address-works"],
    ),
    (
        "real_hosts::it_goes_on_where_the_own_client_does",
        &[
            "first-host-starting",
            "first-host-refuses",
            "first-name-lost",
            "any-of-two-hosts",
        ],
    ),
    (
        "real_hosts::session_attributes_choose_the_host",
        &[
            "standby-second",
            "no-standby",
            "standby-preferred",
            "only-replicas",
        ],
    ),
    (
        "real_hosts::a_service_and_a_driver_lead_to_the_same_server",
        &["driver-goes-on"],
    ),
    (
        "namespaces_way::a_router_that_says_little_is_asked_again",
        &["sparing-router"],
    ),
    (
        "first_path::a_refused_port_is_nothing_listening",
        &["closed-port"],
    ),
    (
        "settings::findings_weigh_in_a_diagnosis",
        &["loopback-in-service"],
    ),
    (
        "namespaces_crossings::what_the_sources_of_a_name_say",
        &[
            "resolver-behind-gone",
            "hosts-file-to-itself",
            "first-resolver-dead",
        ],
    ),
    (
        "namespaces_crossings::which_of_several_addresses_this_client_takes",
        &["third-address-alive", "both-addresses-drop"],
    ),
    (
        "namespaces_crossings::a_driver_that_waits_for_one_family_and_goes_on",
        &["six-drops-four-works"],
    ),
    (
        "namespaces_crossings::a_machine_without_a_resolver",
        &["no-resolver-set-up"],
    ),
    (
        "namespaces_departure::the_next_device_does_not_answer",
        &["next-device-silent"],
    ),
    (
        "namespaces_departure::a_link_that_is_down_under_a_remembered_device",
        &["link-down"],
    ),
    (
        "namespaces_departure::a_neighbour_that_is_not_there",
        &["neighbour-absent"],
    ),
    (
        "namespaces_departure::routes_that_lead_nowhere",
        &["route-prohibits"],
    ),
    (
        "namespaces_departure::silence_without_a_trace_accuses_nobody",
        &["silent-all-the-way"],
    ),
    (
        "namespaces_departure::a_port_that_is_passed_on",
        &["passed-on-to-nobody", "passed-on-and-dropped"],
    ),
    (
        "namespaces_crossings::a_system_that_asks_no_name_service",
        &["system-asks-nobody"],
    ),
    (
        "namespaces_crossings::packets_that_go_in_a_circle",
        &["packets-in-a-circle"],
    ),
    (
        "namespaces_crossings::a_host_that_is_not_there_whatever_is_spoken",
        &["cameras-host-absent"],
    ),
    (
        "namespaces_way::a_private_address_that_leaves_for_the_public_network",
        &["private-no-way"],
    ),
    (
        "namespaces_lists::a_list_that_a_filter_keeps",
        &[
            "list-without-client",
            "list-for-other-port",
            "list-rule-ended",
        ],
    ),
    (
        "namespaces_lists::a_way_back_that_is_closed",
        &["list-without-way-back"],
    ),
    (
        "namespaces_lists::a_list_that_is_not_the_reason",
        &["list-not-in-force", "list-lets-in", "list-of-host-rules"],
    ),
    (
        "namespaces_crossings::filters_at_either_end",
        &["host-says-prohibited", "own-filter-drops-all"],
    ),
    (
        "namespaces_idle::a_filter_on_the_way_forgets_a_session_that_is_idle",
        &["idle-forgotten"],
    ),
    (
        "real_sessions::idle_sessions_that_the_server_ends",
        &["idle-ended", "idle-and-well"],
    ),
];

/// The test that backs a scene.
pub(super) fn of(id: &str) -> Option<&'static str> {
    let found = BACKING.iter().find(|(_, scenes)| scenes.contains(&id));
    found.map(|(test, _)| *test)
}
