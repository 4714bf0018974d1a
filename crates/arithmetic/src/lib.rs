//! Arithmetic for kernels that run over columns.
//!
//! | module | what is in it |
//! |---|---|
//! | [`trigonometry`] | elementary functions as straight lines of arithmetic and selections |
//! | [`vectors`] | loops in the widest vector instructions that the processor has |

pub mod trigonometry;
pub mod vectors;
