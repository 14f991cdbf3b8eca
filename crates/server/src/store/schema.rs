//! The tables as Diesel sees them; in step with `migrations/`.

diesel::table! {
    supplies (id) {
        id -> Uuid,
        account_id -> Uuid,
        title -> Text,
        revision -> Int4,
        document -> Jsonb,
        changed_at -> Timestamptz,
        deleted_at -> Nullable<Timestamptz>,
        summary -> Nullable<Jsonb>,
        tags -> Array<Text>,
    }
}

diesel::table! {
    accounts (id) {
        id -> Uuid,
        name -> Text,
        keep_runs -> Int4,
    }
}

diesel::table! {
    supply_revisions (supply_id, revision) {
        supply_id -> Uuid,
        revision -> Int4,
        document -> Jsonb,
        saved_at -> Timestamptz,
        change -> Nullable<Uuid>,
    }
}

diesel::table! {
    own_parts (id) {
        id -> Uuid,
        account_id -> Uuid,
        entry -> Jsonb,
        changed_at -> Timestamptz,
    }
}

diesel::table! {
    runs (id) {
        id -> Uuid,
        account_id -> Uuid,
        supply_id -> Uuid,
        revision -> Int4,
        study -> Text,
        document -> Jsonb,
        engine_version -> Text,
        state -> Text,
        attempt -> Int4,
        stop_requested -> Bool,
        duration -> Float8,
        simulated_time -> Float8,
        node_count -> Int8,
        outcome -> Nullable<Jsonb>,
        message -> Nullable<Text>,
        created_at -> Timestamptz,
        started_at -> Nullable<Timestamptz>,
        finished_at -> Nullable<Timestamptz>,
        deleted_at -> Nullable<Timestamptz>,
        marked -> Bool,
        bytes -> Int8,
        essence -> Nullable<Uuid>,
        kept -> Nullable<Bytea>,
        goes_on_from -> Nullable<Uuid>,
        measured -> Nullable<Jsonb>,
        note -> Text,
        passing -> Bool,
        noted_at -> Nullable<Timestamptz>,
        verdicts -> Nullable<Jsonb>,
        judged_by -> Nullable<Uuid>,
        second_opinion_on -> Nullable<Uuid>,
    }
}

diesel::table! {
    trace_chunks (run_id, level, signal, seq) {
        run_id -> Uuid,
        signal -> Text,
        level -> Int2,
        seq -> Int4,
        from_time -> Float8,
        to_time -> Float8,
        count -> Int4,
        data -> Bytea,
        again -> Int8,
    }
}

diesel::allow_tables_to_appear_in_same_query!(supplies, supply_revisions, runs);
