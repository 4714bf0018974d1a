//! What each doubt looks for, an example, how to mend it.

use crate::Error;
use crate::doubts::{DOUBTS, Doubt, DoubtName};
use serde::Serialize;

/// A doubt, or all of them.
#[derive(Debug, Clone, Default, PartialEq)]
#[cfg_attr(feature = "arguments", derive(clap::Args))]
pub struct DoubtsQuestion {
    /// The doubt; all of them unless said
    pub name: Option<String>,
}

/// A doubt, explained.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schemas", derive(schemars::JsonSchema))]
pub struct DoubtExplained {
    /// Its name.
    pub name: String,
    /// What it looks for.
    pub looks_for: String,
    /// An example.
    pub example: String,
    /// What mends it.
    pub mend: String,
}

impl DoubtsQuestion {
    /// Explains.
    ///
    /// # Errors
    /// [`Error::Usage`] for a name that no doubt has.
    ///
    /// ```
    /// use basilocus::lookup::DoubtsQuestion;
    ///
    /// let doubts = DoubtsQuestion { name: Some("empty-point".into()) }.report()?;
    /// assert!(doubts[0].looks_for.contains("0, 0"));
    /// # Ok::<(), basilocus::Error>(())
    /// ```
    pub fn report(&self) -> Result<Vec<DoubtExplained>, Error> {
        let Some(name) = &self.name else { return Ok(DOUBTS.iter().copied().map(DoubtExplained::of).collect()) };
        let found = DoubtName::find(name).ok_or_else(|| {
            let all: Vec<&str> = DOUBTS.iter().map(|d| d.name).collect();
            Error::Usage(format!("there is no doubt \"{name}\"; there are {}", all.join(", ")))
        })?;
        Ok(vec![DoubtExplained::of(found.doubt())])
    }
}

impl DoubtExplained {
    fn of(d: &Doubt) -> Self {
        let [name, looks_for, example, mend] = [d.name, d.looks_for, d.example, d.mend].map(String::from);
        DoubtExplained { name, looks_for, example, mend }
    }
}
