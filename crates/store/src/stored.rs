//! Columns that hold the word of an enum, and lists of numbers with commas between.

use sqlx::encode::IsNull;
use sqlx::error::BoxDynError;
use sqlx::mysql::{MySqlTypeInfo, MySqlValueRef};
use sqlx::{Decode, Encode, MySql, Type};
use std::ops::Deref;
use std::str::FromStr;

/// A value that is stored as its word. A row with a word that is none of the values is refused when it is read.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub struct Stored<T>(pub T);

impl<T> Deref for Stored<T> {
    type Target = T;

    fn deref(&self) -> &T {
        &self.0
    }
}

impl<T: std::fmt::Display> std::fmt::Display for Stored<T> {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        self.0.fmt(f)
    }
}

impl<T> Type<MySql> for Stored<T> {
    fn type_info() -> MySqlTypeInfo {
        <str as Type<MySql>>::type_info()
    }

    fn compatible(info: &MySqlTypeInfo) -> bool {
        <str as Type<MySql>>::compatible(info)
    }
}

impl<'r, T: FromStr> Decode<'r, MySql> for Stored<T> {
    fn decode(value: MySqlValueRef<'r>) -> Result<Self, BoxDynError> {
        let word = <&str as Decode<MySql>>::decode(value)?;
        let unknown = || BoxDynError::from(format!("unknown {} “{word}”", std::any::type_name::<T>()));
        word.parse().ok().map(Self).ok_or_else(unknown)
    }
}

impl<T: Copy + Into<&'static str>> Encode<'_, MySql> for Stored<T> {
    fn encode_by_ref(&self, buffer: &mut Vec<u8>) -> Result<IsNull, BoxDynError> {
        let word: &'static str = self.0.into();
        <&str as Encode<MySql>>::encode_by_ref(&word, buffer)
    }
}

/// Turn counts, stored with commas between.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct TurnList(pub Vec<u32>);

impl Deref for TurnList {
    type Target = [u32];

    fn deref(&self) -> &[u32] {
        &self.0
    }
}

impl Type<MySql> for TurnList {
    fn type_info() -> MySqlTypeInfo {
        <str as Type<MySql>>::type_info()
    }

    fn compatible(info: &MySqlTypeInfo) -> bool {
        <str as Type<MySql>>::compatible(info)
    }
}

impl<'r> Decode<'r, MySql> for TurnList {
    fn decode(value: MySqlValueRef<'r>) -> Result<Self, BoxDynError> {
        let text = <&str as Decode<MySql>>::decode(value)?;
        let numbers: Result<_, _> = text.split(',').filter(|n| !n.is_empty()).map(str::parse).collect();
        Ok(Self(numbers?))
    }
}

impl Encode<'_, MySql> for TurnList {
    fn encode_by_ref(&self, buffer: &mut Vec<u8>) -> Result<IsNull, BoxDynError> {
        let text = self.0.iter().map(ToString::to_string).collect::<Vec<_>>().join(",");
        <String as Encode<MySql>>::encode_by_ref(&text, buffer)
    }
}
