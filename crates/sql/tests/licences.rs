//! The packages of this workspace have licences that are allowed, as those of the main one have.

#[path = "../../../tools/tests/licences.rs"]
mod of_all_workspaces;
