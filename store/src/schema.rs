//! The tables, as the migrations make them.

diesel::table! {
    production (id) { id -> Integer, name -> Text, rate_num -> Integer, rate_den -> Integer, first_frame -> BigInt, paused -> Bool, }
}
diesel::table! {
    blob (hash) { hash -> Text, bytes -> Binary, base -> Nullable<Text>, }
}
diesel::table! {
    cast_member (id) {
        id -> Integer, name -> Text, model -> Text, wiring -> Text, revision -> BigInt, next_id -> BigInt,
        gone -> Bool, title -> Text, source -> Nullable<Text>, shaping -> Nullable<Text>,
    }
}
diesel::table! {
    wiring_step (id) {
        id -> Integer, cast_id -> Integer, words -> Text, edit -> Binary, undone -> Bool, from_model -> Nullable<Text>,
        to_model -> Nullable<Text>, from_shaping -> Nullable<Text>, to_shaping -> Nullable<Text>,
    }
}
diesel::table! {
    line (id) {
        id -> Integer, document -> Text, recording -> Text, recording_name -> Text, recording_facts -> Text,
        problem -> Nullable<Text>, revision -> BigInt, next_id -> BigInt, place -> BigInt, gone -> Bool,
    }
}
diesel::table! {
    line_part (line_id, part) { line_id -> Integer, part -> Integer, body -> Text, }
}
diesel::table! {
    step (id) {
        id -> Integer, line_id -> Integer, words -> Text, edit -> Binary, undone -> Bool, gesture -> Nullable<Text>,
        asks -> Bool, awaits -> Bool, timing -> Nullable<Binary>, cause -> Nullable<Integer>, applied -> Bool,
    }
}
diesel::table! {
    change (owner, owner_id, revision) {
        owner -> Text, owner_id -> Integer, revision -> BigInt, words -> Text, things -> Text, gesture -> Nullable<Text>,
    }
}
diesel::table! {
    waiting (id) { id -> Integer, line_id -> Integer, work -> Text, }
}
diesel::table! {
    delivery (id) {
        id -> Integer, scene_id -> Nullable<Integer>, line_id -> Integer, file_name -> Text, media_type -> Text, size -> BigInt, content -> Text,
        gone -> Bool, kind -> Text, frames -> BigInt, first_frame -> BigInt, rate -> Text, state -> Text, how -> Text,
        faces -> Nullable<Text>,
    }
}
diesel::table! {
    scene (id) { id -> Integer, body -> Text, gone -> Bool, }
}
diesel::table! {
    recipe (name) { name -> Text, body -> Text, }
}
diesel::table! {
    take (id) {
        id -> Integer, line_id -> Integer, recording -> Text, recording_name -> Text, recording_facts -> Text,
        gone -> Bool,
    }
}
diesel::table! {
    production_step (id) { id -> Integer, words -> Text, edit -> Text, undone -> Bool, }
}
diesel::table! {
    film (id) { id -> Integer, line_id -> Integer, name -> Text, media_type -> Text, content -> Text, }
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
    production_step,
    blob,
    cast_member,
    wiring_step,
    line,
    line_part,
    step,
    change,
    waiting,
    take,
    film,
    said_as,
    snapshot,
    pose,
    curve_set,
    delivery,
    recipe,
    scene
);
