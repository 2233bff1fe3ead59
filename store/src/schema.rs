//! The tables, as the migrations make them.

diesel::table! {
    production (id) { id -> Integer, name -> Text, rate_num -> Integer, rate_den -> Integer, first_frame -> BigInt, }
}
diesel::table! {
    blob (hash) { hash -> Text, bytes -> Binary, }
}
diesel::table! {
    cast_member (id) { id -> Integer, name -> Text, model -> Text, wiring -> Text, }
}
diesel::table! {
    cast_step (id) { id -> Integer, cast_id -> Integer, words -> Text, before -> Text, after -> Text, undone -> Bool, }
}
diesel::table! {
    line (id) {
        id -> Integer, document -> Text, recording -> Text, recording_name -> Text, recording_facts -> Text,
        problem -> Nullable<Text>,
    }
}
diesel::table! {
    journal (id) {
        id -> Integer, line_id -> Integer, edit -> Text, inverse -> Text, undone -> Bool, joined -> Bool,
        words -> Text,
    }
}
diesel::table! {
    delivery (id) {
        id -> Integer, line_id -> Integer, file_name -> Text, media_type -> Text, size -> BigInt, content -> Text,
    }
}
diesel::table! {
    take (id) {
        id -> Integer, line_id -> Integer, recording -> Text, recording_name -> Text, recording_facts -> Text,
    }
}
diesel::table! {
    said_as (word) { word -> Text, sounds -> Text, }
}
diesel::table! {
    snapshot (id) { id -> Integer, line_id -> Integer, name -> Text, document -> Text, }
}
diesel::table! {
    pose (name) { name -> Text, held -> Text, }
}
diesel::table! {
    curve_set (name) { name -> Text, controls -> Text, }
}
diesel::allow_tables_to_appear_in_same_query!(
    production,
    blob,
    cast_member,
    cast_step,
    line,
    journal,
    take,
    said_as,
    snapshot,
    pose,
    curve_set,
    delivery
);
