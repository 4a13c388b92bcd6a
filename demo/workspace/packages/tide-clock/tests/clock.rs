#[test]
fn the_hand_begins_at_high_water() {
    assert!(tide_clock::at(1_772_440_801.0).is_ebb());
    assert!(!tide_clock::at(1_772_440_799.0 + 12.0 * 3600.0).is_ebb());
}
