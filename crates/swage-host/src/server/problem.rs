//! Errors as clients get them: a status, and an object with the reason.

use std::collections::BTreeMap;

use axum::Json;
use axum::extract::rejection::{JsonRejection, PathRejection, QueryRejection};
use axum::http::{StatusCode, header};
use axum::response::{IntoResponse, Response};
use serde::{Deserialize, Serialize};
use utoipa::openapi::{RefOr, Response as Described, ResponseBuilder, content::ContentBuilder, schema::Ref};
use utoipa::{IntoResponses, ToSchema};

use crate::storage::Refusal;

/// Why something wasn't done.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
pub struct Reason {
    /// A sentence for people.
    pub error: String,
}

/// A status and the reason.
#[derive(Debug)]
pub struct Problem(pub StatusCode, pub String);

impl Problem {
    /// What was sent isn't what the call takes.
    pub fn invalid(why: String) -> Self {
        Self(StatusCode::UNPROCESSABLE_ENTITY, why)
    }
}

/// The statuses with which any call may be refused.
const STATUSES: [(u16, &str); 10] = [
    (400, "What was sent isn't JSON, or a part of the address isn't what it should be"),
    (401, "The token is missing or wrong"),
    (403, "The token's owner may not do this"),
    (404, "There is no such thing"),
    (408, "The request took too long"),
    (409, "It goes against what is there"),
    (413, "What was sent is too large"),
    (415, "What was sent isn't declared as JSON"),
    (422, "What was sent isn't what the call takes"),
    (500, "The host failed"),
];

impl IntoResponses for Problem {
    fn responses() -> BTreeMap<String, RefOr<Described>> {
        let content = || ContentBuilder::new().schema(Some(Ref::from_schema_name("Reason"))).build();
        let described =
            |text: &str| ResponseBuilder::new().description(text).content("application/json", content()).build();
        STATUSES.iter().map(|(status, text)| (status.to_string(), RefOr::T(described(text)))).collect()
    }
}

impl IntoResponse for Problem {
    fn into_response(self) -> Response {
        let asks = self.0 == StatusCode::UNAUTHORIZED;
        let mut response = (self.0, Json(Reason { error: self.1 })).into_response();
        if asks {
            // git sends a token only after it has been asked for one.
            let value = header::HeaderValue::from_static("Basic realm=\"swage host\"");
            response.headers_mut().insert(header::WWW_AUTHENTICATE, value);
        }
        response
    }
}

impl From<Refusal> for Problem {
    fn from(refusal: Refusal) -> Self {
        match refusal {
            Refusal::Unknown(why) => Self(StatusCode::NOT_FOUND, why),
            Refusal::Forbidden(why) => Self(StatusCode::FORBIDDEN, why),
            Refusal::Conflict(why) => Self(StatusCode::CONFLICT, why),
            Refusal::Invalid(why) => Self::invalid(why),
            Refusal::Failed(why) => {
                tracing::error!(why, "a call failed");
                Self(StatusCode::INTERNAL_SERVER_ERROR, format!("the host couldn't do it: {why}"))
            }
            Refusal::Broken(error) => {
                tracing::error!(%error, "storage");
                Self(StatusCode::INTERNAL_SERVER_ERROR, "the host's data file can't be used".into())
            }
        }
    }
}

impl From<JsonRejection> for Problem {
    fn from(rejection: JsonRejection) -> Self {
        Self(rejection.status(), rejection.body_text())
    }
}

impl From<PathRejection> for Problem {
    fn from(rejection: PathRejection) -> Self {
        Self(StatusCode::BAD_REQUEST, rejection.body_text())
    }
}

impl From<QueryRejection> for Problem {
    fn from(rejection: QueryRejection) -> Self {
        Self(StatusCode::BAD_REQUEST, rejection.body_text())
    }
}
